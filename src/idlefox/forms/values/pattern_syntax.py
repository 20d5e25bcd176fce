"""A parser of ECMAScript's pattern grammar with flag u or v (ECMA-262, "Patterns" and its early errors).

The matching engine is sometimes more lenient and sometimes stricter than the standard. A pattern that passes here is valid; it
is rewritten so that the engine reads it as the standard does.
"""

from __future__ import annotations

import re

_SYNTAX = frozenset("^$\\.*+?()[]{}|")
_SET_SYNTAX = frozenset("()[]{}/-\\|")
_SET_PUNCTUATORS = frozenset("&-!#%,:;<=>@`~")
_DOUBLE = frozenset("&!#$%*+,.:;<=>?@^`~")
_QUANTIFIER = re.compile(r"(?:[*+?]|\{(\d+)(,(\d*))?\})\??")
_HEX, _CODE_UNIT, _CODE_POINT = re.compile(r"x[0-9A-Fa-f]{2}"), re.compile(r"u([0-9A-Fa-f]{4})"), re.compile(r"u\{([0-9A-Fa-f]+)\}")
_PROPERTY = re.compile(r"[pP]\{[A-Za-z0-9_]+(?:=[A-Za-z0-9_]+)?\}")
_OUTLINE = re.compile(r"\\k<[^>]*>|\\.|\(\?<(?![=!])[^>]*>|.", re.DOTALL)  # what `with_own_names` tells apart
_NAME = re.compile(r"<((?:[\w$]|\\u[0-9A-Fa-f]{4}|\\u\{[0-9A-Fa-f]+\})+)>")
_MODIFIERS = re.compile(r"\?([ims]*)(?:-([ims]*))?:")
_OF_STRINGS = frozenset({
    "Basic_Emoji", "Emoji_Keycap_Sequence", "RGI_Modifier_Sequence", "RGI_Flag_Sequence", "RGI_Emoji_Modifier_Sequence",
    "RGI_Emoji_Flag_Sequence", "RGI_Emoji_Tag_Sequence", "RGI_Emoji_ZWJ_Sequence", "RGI_Emoji",
})  # fmt: skip
_DEEPEST = 100


class SyntaxFault(Exception):
    """A violation of the pattern grammar."""


def checked(source: str, flags: str) -> str:
    """Return *source*, a pattern with flag u or v among its *flags*, as the engine should read it. Raises SyntaxFault if it is
    invalid.
    """
    sets = "v" in flags
    reader = _PatternParser(source, sets, folds="i" in flags or "(?i" in source)
    written = reader.disjunction()
    if reader.at < len(source):
        raise SyntaxFault(f"a lone {source[reader.at]}: with flag {'v' if sets else 'u'} it needs a backslash")
    reader.references()
    return written


def with_own_names(source: str) -> str:
    """Return the valid pattern *source* with unique group names; alternatives of *source* may share a name.

    A reference to such a name becomes references to all of them: those that took no part match the empty text.
    """
    count: dict[str, int] = {}
    parts: list[str] = []
    depth = 0
    for token in _OUTLINE.findall(source):
        depth += (token == "[") - (token == "]" and depth > 0)
        name = _NAME.match(token, 2) if token[:3] == "(?<" and token[3:] and not depth else None
        if name is not None:
            count[name[1]] = count.get(name[1], 0) + 1
            token = f"(?<{name[1]}{_suffix(count[name[1]])}>"
        parts.append(token)
    if max(count.values(), default=0) < 2:
        return source
    return "".join(_all_of(token, count) if token.startswith("\\k<") else token for token in parts)


def _suffix(number: int) -> str:
    return f"${number}" if number > 1 else ""


def _all_of(token: str, count: dict[str, int]) -> str:
    name = token[3:-1]
    return "(?:" + "".join(f"\\k<{name}{_suffix(n)}>" for n in range(1, count.get(name, 1) + 1)) + ")"


class _PatternParser:
    def __init__(self, source: str, sets: bool, folds: bool) -> None:
        self.source = source
        self.sets = sets
        self.folds = folds
        self.at = 0
        self.depth = 0
        self.groups = 0
        self.names: list[str] = []
        self.numbers: list[int] = []  # groups with back references
        self.named: list[str] = []

    def take(self, text: str) -> bool:
        if self.source.startswith(text, self.at):
            self.at += len(text)
            return True
        return False

    def match(self, pattern: re.Pattern[str]) -> re.Match[str] | None:
        found = pattern.match(self.source, self.at)
        if found is not None:
            self.at = found.end()
        return found

    def references(self) -> None:
        """Check that references exist."""
        if any(number > self.groups for number in self.numbers):
            raise SyntaxFault(f"the pattern has no group {max(self.numbers)}")
        missing = [name for name in self.named if name not in self.names]
        if missing:
            raise SyntaxFault(f"the pattern has no group called {missing[0]}")

    def disjunction(self) -> str:
        self.depth += 1
        if self.depth > _DEEPEST:
            raise SyntaxFault(f"nested deeper than {_DEEPEST}")
        before, names = self.names, list[str]()
        parts: list[str] = []
        while not parts or self.take("|"):
            self.names = list(before)  # alternatives may have groups of the same name: only one of them takes part
            parts.append(self.alternative())
            names += self.names[len(before) :]
        self.names = before + names
        self.depth -= 1
        return "|".join(parts)

    def alternative(self) -> str:
        written: list[str] = []
        while self.at < len(self.source) and self.source[self.at] not in "|)":
            written.append(self.term())
        return "".join(written)

    def term(self) -> str:
        sign = self.source[self.at]
        if sign in "^$" or self.source.startswith(("\\b", "\\B"), self.at):
            self.at += 1 if sign in "^$" else 2
            return self._not_repeated(sign if sign in "^$" else self.source[self.at - 2 : self.at])
        for opening in ("(?=", "(?!", "(?<=", "(?<!"):
            if self.take(opening):
                return self._not_repeated(f"{opening}{self._closed()}")
        return self.atom() + self._quantifier()

    def _not_repeated(self, written: str) -> str:
        if _QUANTIFIER.match(self.source, self.at):
            raise SyntaxFault("an assertion cannot be repeated")
        return written

    def _quantifier(self) -> str:
        found = self.match(_QUANTIFIER)
        if found is None:
            return ""
        if found[3] and int(found[1]) > int(found[3]):
            raise SyntaxFault(f"{found[0]} is out of order")
        return found[0]

    def _closed(self) -> str:
        """Parse the content of brackets up to the closing one."""
        inner = self.disjunction()
        if not self.take(")"):
            raise SyntaxFault("a ( that is never closed")
        return f"{inner})"

    def atom(self) -> str:
        sign = self.source[self.at]
        self.at += 1
        if sign == "(":
            return self._group()
        if sign == "[":
            return self.class_of_sets() if self.sets else self.class_of_ranges()
        if sign == "\\":
            return self._escape()
        if sign in _SYNTAX and sign != ".":
            raise SyntaxFault(f"a lone {sign}: it needs a backslash")
        return self._apart(sign) if sign != "." else sign

    def _group(self) -> str:
        if self.take("?:"):
            return f"(?:{self._closed()}"
        if self.take("?<"):
            self.at -= 1
            found = self.match(_NAME)
            if found is None or found[1][0].isdigit():
                raise SyntaxFault("a group needs a name in < >")
            if found[1] in self.names:
                raise SyntaxFault(f"two groups of one alternative are called {found[1]}")
            self.names.append(found[1])
            self.groups += 1
            return f"(?<{found[1]}>{self._closed()}"
        found = self.match(_MODIFIERS)
        if found is not None:
            flags = found[1] + (found[2] or "")
            if len(set(flags)) != len(flags) or not flags:
                raise SyntaxFault("a group has each flag at most once, and at least one")
            return f"({found[0]}{self._closed()}"
        if self.take("?"):
            raise SyntaxFault("a ? after ( is not allowed here")
        self.groups += 1
        return f"({self._closed()}"

    def _apart(self, character: str) -> str:
        """Put a character that has several case variants into a separate class, which the engine folds as the standard does."""
        alone = not character.isascii() or character[:2] in ("\\u", "\\x") or (self.folds and character in "kKsS")
        return f"[{character}]" if alone else character

    # after a backslash
    def _escape(self) -> str:
        start = self.at
        if self.at < len(self.source) and self.source[self.at] in "123456789":
            while self.at < len(self.source) and self.source[self.at] in "0123456789":
                self.at += 1
            self.numbers.append(int(self.source[start : self.at]))
            return f"\\{self.source[start : self.at]}"
        if self.take("k"):
            found = self.match(_NAME)
            if found is None:
                raise SyntaxFault("\\k needs the name of a group in < >")
            self.named.append(found[1])
            return f"\\k<{found[1]}>"
        return self._class_escape() or self._apart(self._character())

    def _class_escape(self) -> str:
        """`\\d`, `\\p{…}` and the like; "" (and nothing read) for anything else."""
        found = self.match(_PROPERTY)
        if found is not None:
            return f"\\{found[0]}"
        if self.at < len(self.source) and self.source[self.at] in "dDsSwW":
            self.at += 1
            return f"\\{self.source[self.at - 1]}"
        return ""

    def _character(self, more: str = "/") -> str:
        """Parse a character after a backslash; *more* lists further characters that may be escaped."""
        start = self.at
        sign = self.source[self.at] if self.at < len(self.source) else ""
        following = self.source[self.at + 1 : self.at + 2]
        if sign and (sign in "fnrtv" or sign in _SYNTAX or sign in more):
            self.at += 1
        elif sign == "c" and following.isascii() and following.isalpha():
            self.at += 2
        elif sign == "0" and not following.isdigit():
            self.at += 1
        elif sign == "u" and (found := self.match(_CODE_POINT)) is not None:
            if int(found[1], 16) > 0x10FFFF:
                raise SyntaxFault(f"\\{found[0]} is not a code point")
        elif not (sign == "x" and self.match(_HEX)) and not (sign == "u" and self.match(_CODE_UNIT)):
            raise SyntaxFault(f"\\{sign} is not an escape")
        return f"\\{self.source[start : self.at]}"

    # classes
    def class_of_ranges(self) -> str:
        """``[…]`` with flag u."""
        written = "[" + ("^" if self.take("^") else "")
        while not self.take("]"):
            low = self._class_atom()
            if self.source.startswith("-", self.at) and not self.source.startswith("-]", self.at):
                self.at += 1
                high = self._class_atom()
                if (low[1:2] in tuple("dDsSwWpP") and low[0] == "\\") or (high[1:2] in tuple("dDsSwWpP") and high[0] == "\\"):
                    raise SyntaxFault("a range needs a single character at each end")
                low = f"{low}-{high}"
            written += low
        return f"{written}]"

    def _class_atom(self) -> str:
        if self.at >= len(self.source):
            raise SyntaxFault("a [ that is never closed")
        sign = self.source[self.at]
        self.at += 1
        if sign != "\\":
            return sign
        if self.take("b"):
            return "\\x08"
        return self._class_escape() or self._character("/-")

    def class_of_sets(self) -> str:
        """``[…]`` with flag v: a union, or operands with ``&&`` or ``--`` between them."""
        negated = self.take("^")
        written, strings = self._set_contents()
        if negated and strings:
            raise SyntaxFault("a negated class cannot contain strings")
        return f"[{'^' if negated else ''}{written}]" if written or not negated else "[\\s\\S]"

    def _set_contents(self) -> tuple[str, bool]:
        self.depth += 1
        if self.depth > _DEEPEST:
            raise SyntaxFault(f"nested deeper than {_DEEPEST}")
        written, strings, operator, count = "", False, "", 0
        while not self.take("]"):
            between = next((sign for sign in ("&&", "--") if self.source.startswith(sign, self.at)), "")
            if between and count:
                if operator not in ("", between) or (not operator and count > 1):
                    raise SyntaxFault(f"{between} needs two operands; use brackets around it to combine it with others")
                operator = between
                self.at += 2
                if between == "&&" and self.source.startswith("&", self.at):
                    raise SyntaxFault("&&& is not allowed in a class")
                written += between
            elif operator:
                raise SyntaxFault(f"expected {operator} between the operands")
            operand, has_strings = self._set_operand(plain=not operator)
            written, count = written + operand, count + 1
            strings = (strings or has_strings) if operator != "--" or count == 1 else strings
        self.depth -= 1
        return written, strings

    def _set_operand(self, *, plain: bool) -> tuple[str, bool]:
        """Return one operand in the engine's syntax, and whether it may contain strings. A range is allowed only in a union
        (*plain*).
        """
        if self.at >= len(self.source):
            raise SyntaxFault("a [ that is never closed")
        if self.take("["):
            negated = self.take("^")
            inner, strings = self._set_contents()
            if negated and strings:
                raise SyntaxFault("a negated class cannot contain strings")
            return f"[{'^' if negated else ''}{inner}]" if inner or not negated else "[\\s\\S]", strings
        if self.take("\\q{"):
            return self._strings()
        if self.source.startswith("\\", self.at):
            self.at += 1
            whole = self._class_escape()
            if whole:
                return whole, whole[3:-1] in _OF_STRINGS
            self.at -= 1
        low = self._set_character()
        if plain and self.source.startswith("-", self.at) and not self.source.startswith("--", self.at):
            self.at += 1
            return f"{low}-{self._set_character()}", False
        return low, False

    def _strings(self) -> tuple[str, bool]:
        found: list[list[str]] = [[]]
        while not self.take("}"):
            if self.take("|"):
                found.append([])
            else:
                found[-1].append(self._set_character())
        if any(len(characters) != 1 for characters in found):
            return "\\q{" + "|".join(map("".join, found)) + "}", True
        # Characters as classes, because the engine mishandles such strings in negative lookarounds.
        return "[" + "".join(f"[{character}]" for (character,) in found) + "]", False

    def _set_character(self) -> str:
        if self.at >= len(self.source):
            raise SyntaxFault("a [ that is never closed")
        sign, following = self.source[self.at], self.source[self.at + 1 : self.at + 2]
        self.at += 1
        if sign == "\\":
            if self.take("b"):
                return "\\x08"
            written = self._character("/" + "".join(_SET_PUNCTUATORS))
            return written if written[1] not in _SET_PUNCTUATORS else _quoted(written[1])
        if sign in _SET_SYNTAX:
            raise SyntaxFault(f"a lone {sign} in a class: it needs a backslash")
        if sign == following and sign in _DOUBLE:
            raise SyntaxFault(f"{sign}{sign} is not allowed in a class")
        return _quoted(sign) if sign in _SET_PUNCTUATORS or sign in _DOUBLE else sign


def _quoted(punctuator: str) -> str:
    """A punctuator in a class, written so that no reader can take it for anything else."""
    return f"\\x{ord(punctuator):02x}"
