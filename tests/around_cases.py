"""Generates pages around what browsers do in unusual ways: e-mail addresses, typed numbers, hard patterns, `dirname`, buttons, Enter, Tab.

`python tools/browse.py --around` runs them in the engine and in browsers.
"""

from __future__ import annotations

import random
from html import escape

from generated_cases import _quoted
from page_cases import Case

LOCAL = ["a", "a.b", ".a", "a.", "a..b", "a+b", "o'x", '"a b"', "a/b", "a=b", "{a}", "ä", "a(b)", "a,b", "A_1", "-a-", "a\\b", "1", "~`!", "a" * 65]
DOMAIN = [
    "b", "b.example", "b-c.d", "-b", "b-", "b_c", "1.2.3.4", "[1.2.3.4]", "b..c", "b.", ".b", "bücher.example", "xn--bcher-kva.example", "xn--", "B.C",
    "b" * 63, "b" * 64, "b." * 60 + "c", "b:80", "b c", "localhost", "例え.example", "a--b.c", "ab--c.d", "b.1", "%62",
]  # fmt: skip
KEYS = ["1", "-", "+", "e", "E", ".", ",", "0", "5", " ", "x", "--1", "1e5", "1.2.3", "-0", "1e-2", ".5", "5.", "+5", "1e+", "2-", "٣", "1e400"]
HARD = [
    r"(?<=a)b", r"(?<n>a)\k<n>", r"\bab\b", r"(?:a|ab)(?:c|bcd)(?:d*)", r"(a+)+", r"[^\W\d_]+", r"\p{Lu}\p{Ll}*", r"[\p{L}--[a-z]]+", r"[\w&&\d]+",
    r"(?!.*ab).*", r"a{,3}", r"a{2,1}", r"[\b]", r"\cA", r"\0", r"\x61", r"\u0061", r"\u{61}", r"[\q{abc|d}]", r"(?<a>x)|(?<a>y)", r"\d{3}(?=-)-\d",
    r"[a-\d]", r"\p{Emoji}", r"^a|b$", r"(?i:a)b", r"(?s:.)", r"a\/b", r"[(]", r"\-", r"[&&]", r"(?<!a)b", r"((a)|b)*\2", r".", r"\S+@\S+", r"[^]",
]  # fmt: skip
MATCHED = ["", "a", "ab", "abc", "b", "aab", "A", "Aa", "aa", "1", "123-4", "abcd", "é", "É", "🔦", "x", "xy", "a/b", "ab ab", "\t", "a\nb", "_", "-", "("]
WORDS = ["", "a", "hello", "שלום", "سلام", "12", "שa", "aש", "١٢", "🔦"]


class _Around:
    def __init__(self, seed: int, number: int) -> None:
        self.random = random.Random(f"around {seed}/{number}")
        self.number = number

    def one(self, *choices: str) -> str:
        return self.random.choice(choices)

    def chance(self, share: float) -> bool:
        return self.random.random() < share

    def case(self) -> Case:
        kind = self.one("email", "typed", "pattern", "dirname", "button", "enter", "tab")
        form, inner, steps = getattr(self, kind)()
        return Case(f"around {self.number} {kind}", f"<form id=f method=post action=/go{form}>{inner}</form>", "; ".join(step for step in steps if step))

    def email(self) -> tuple[str, str, list[str]]:
        flags = self.one("", "", " multiple", " required", " multiple required", " maxlength=5", " pattern='.+@b.*'")
        address = [f"{self.one(*LOCAL)}{self.one('@', '@', '@', '@', '', '@@', ' @')}{self.one(*DOMAIN)}" for _ in range(3)]
        text = self.one(",", ", ", " ,", ",,").join(address[: self.random.randint(1, 3)]) if "multiple" in flags else address[0]
        text = self.one("", "", " ") + text + self.one("", "", " ", "\t")
        if self.chance(0.6):
            return "", f'<input type=email name=a{flags} value="{escape(text)}"><button>s</button>', [self.one("", "submit", "blur")]
        typed = " ".join(text.split()).strip()
        return "", f"<input type=email name=a{flags}><button>s</button>", [f"{self.one('type', 'retype')} a {_quoted(typed)}", self.one("", "submit", "blur")]

    def typed(self) -> tuple[str, str, list[str]]:
        bounds = "".join(f" {n}={self.one(*v)}" for n, v in (("min", ("0", "-5", "2")), ("max", ("9", "100")), ("step", ("any", "0.5", "2"))) if self.chance(0.4))
        value = self.one("", "", " value=5", " value=-1.5", " value=1e3")
        steps = []
        for _ in range(self.random.randint(1, 4)):
            text = self.one(*KEYS)
            steps.append(self.one(f"type a {_quoted(text)}", f"type a {_quoted(text)}", f"retype a {_quoted(text)}", "erase a", "clear a", "blur",
                                  "press ArrowUp in a", "press ArrowDown in a"))  # fmt: skip
        required = " required" if self.chance(0.4) else ""
        return "", f"<input type=number name=a{bounds}{value}{required}><button>s</button>", [*steps, self.one("", "submit", "blur")]

    def pattern(self) -> tuple[str, str, list[str]]:
        kind = self.one("text", "text", "tel", "search", "password")
        text = self.one(*MATCHED)
        lengths = self.one("", "", " minlength=2", " maxlength=3")
        return "", f'<input type={kind} name=a pattern="{escape(self.one(*HARD))}"{lengths} value="{escape(text)}"><button>s</button>', [
            self.one("", "submit", "erase a", 'type a "b"')
        ]

    def dirname(self) -> tuple[str, str, list[str]]:
        direction = self.one("", " dir=ltr", " dir=rtl", " dir=auto", " dir=x", " dir=AUTO", ' dir=""')
        outer = self.one("", "", " dir=rtl", " dir=auto", " dir=ltr")
        name = self.one(" dirname=d", " dirname=d", ' dirname=""', " dirname", " dirname='a b'", " dirname=a")
        word = self.one(*WORDS)
        kind = self.one("text", "search", "tel", "email", "url", "hidden", "number", "password", "textarea", "date")
        flags = self.one("", "", "", " disabled", " readonly")
        if kind == "textarea":
            control = f"<textarea name=a{name}{direction}{flags}>{word}</textarea>"
        else:
            control = f'<input type={kind} name=a{name}{direction}{flags} value="{word}">'
        around = self.one(control, control, f"<div dir={self.one('rtl', 'auto', 'ltr')}>{control}</div>", f"<bdi>{control}</bdi>")
        steps = [f"retype a {_quoted(self.one(*WORDS))}"] if kind in ("text", "search", "textarea") and not flags and self.chance(0.5) else []
        return outer + self.one("", " novalidate"), f"{around}<button>s</button>", [*steps, "submit"]

    def button(self) -> tuple[str, str, list[str]]:
        names = [self.one("", " name=b", " name=a", " name=''") + self.one("", " value=1", " value=''") for _ in range(3)]
        more = [self.one("", "", " formmethod=get", " formaction=/other", " formenctype=text/plain", " formnovalidate", " formenctype=multipart/form-data",
                         " formmethod=x", " formaction=''", " formmethod=post") for _ in range(3)]  # fmt: skip
        made = (
            f"<button{names[0]}{more[0]}>one</button>", f"<input type=submit{names[1].partition(' value')[0]}{more[1]} value=two>", f"<button type=button{names[2]}>three</button>",
            f"<button type=submit{names[2]}{more[2]} disabled>four</button>", f"<button{names[1]}{more[1]}>five</button>", "<button type=reset>six</button>",
            f"<button type=x{names[0]}{more[0]}>seven</button>",
        )  # fmt: skip
        some = self.random.sample(made, self.random.randint(1, 3))
        label = [w for w in ("one", "two", "five", "seven") if any(f">{w}<" in each or f"value={w}" in each for each in some)]
        field = self.one("<input name=a value=q>", "<input name=a required>", "<input name=a type=checkbox checked>", "<textarea name=a>x</textarea>")
        form = self.one("", "", " enctype=text/plain", " novalidate", " enctype=multipart/form-data")
        press = self.one(*(f'submit by "{each}"' for each in label), "press Enter in a") if label else "press Enter in a"
        return form, self.one(field + "".join(some), "".join(some) + field), [press]

    def enter(self) -> tuple[str, str, list[str]]:
        kinds = ("text", "search", "number", "email", "checkbox", "radio", "date", "color", "range", "file", "password", "url", "tel", "time", "textarea")
        fields = [self.one(*kinds) for _ in range(self.random.randint(1, 3))]
        made = "".join(
            f"<textarea name={n}></textarea>" if kind == "textarea" else f"<input type={kind} name={n}{self.one('', '', ' required', ' disabled')}>"
            for n, kind in zip("abc", fields, strict=False)
        )
        button = self.one("", "", "<button>s</button>", "<button type=button>s</button>", "<button disabled>s</button>", "<input type=image name=i alt=s>",
                          "<button disabled>s</button><button name=b value=2>t</button>", "<button type=reset>s</button>")  # fmt: skip
        if "name=a disabled" in made or fields[0] in ("color", "file"):
            return "", made + button, []
        typed = ['type a "x"'] if fields[0] in ("text", "search", "textarea") and self.chance(0.5) else []
        return "", made + button, [*typed, f"press {self.one('Enter', 'Enter', 'Enter', 'Space')} in a"] if fields[0] != "date" else []

    def tab(self) -> tuple[str, str, list[str]]:
        kinds = ("text", "checkbox", "radio", "select", "textarea", "number", "range", "search")
        made = ""
        for name in "abcd"[: self.random.randint(2, 4)]:
            flags = self.one("", "", "", " disabled", " readonly", " hidden", " tabindex=1", " tabindex=2", " tabindex=-1", " tabindex=0", " tabindex=x",
                             " style='display:none'", " style='visibility:hidden'", " inert", " type=hidden")  # fmt: skip
            kind = self.one(*kinds)
            if kind == "select":
                made += f"<select name={name}{flags}><option>x<option>y</select>"
            elif kind == "textarea":
                made += f"<textarea name={name}{flags}></textarea>"
            elif kind == "radio":
                on, both = self.random.choice(("", " checked")), flags if "tabindex" in flags else ""
                made += f"<input type=radio name={name}{flags} value=x><input type=radio name={name}{both} value=y{on}>"
            else:
                made += f"<input type={kind} name={name}{flags}>"
        keys = [f"press {self.one('Tab', 'Tab', 'Shift+Tab')}" for _ in range(self.random.randint(1, 3))]
        last = self.one("<button>s</button>", "", "<fieldset disabled><input name=z></fieldset><button>s</button>")
        ends = "<input name=s><input name=t><input name=u>", "<input name=v><input name=w><input name=x><input name=y>"
        return "", f"{ends[0]}{made}{last}{ends[1]}", [f"focus {self.one('u', 'u', 'v')}", *keys]


def around(count: int, seed: int) -> list[Case]:
    """*count* cases from *seed*: the same ones each time."""
    return [_Around(seed, number).case() for number in range(count)]
