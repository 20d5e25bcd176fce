"""The messages that a sheet knows for each of its fields, as regular expressions for texts on the page."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from ...forms.model.form import Field, Form, Message, Path, Rule
from ...forms.model.messages import label_of, message_for, read_message
from ...forms.names.addresses import parse_address
from ...forms.values.values import reads_as

# Classes that tell of something else than an error; for Python and for a page's `RegExp`.
CALM = (
    r"focus|left|change|active|hover|dirty|touched|visited|pristine|filled|value|populated|open|expanded"
    r"|float|shrink|raised|animat|transition|enter|leave|keyboard|autofill|press|ripple|populate|typing"
    r"|changed|modified|loading|pending|busy|selected|checked|(^|[-_])valid|success|ok$|^ng-|^css-"
    r"|^[a-z]{1,2}$|^_|\d{3}"
)
_LEAST = 3  # letters outside of placeholders: with fewer, a message would match too many texts


def patterns_of(form: Form, fields: tuple[Field, ...]) -> dict[Path, list[str]]:
    """Return the patterns of the messages at each of *fields* (and at those inside), by schema path.

    They are written for Python and for a page's `RegExp` alike, and match a whole text.
    """
    found: dict[Path, list[str]] = {}
    for field in fields:
        found[field.path] = list(dict.fromkeys(filter(None, (_long_enough(*each) for each in _messages(form, field)))))
        found |= patterns_of(form, field.fields)
    return found


def is_count(text: str, value: str | None) -> bool:
    """Return whether *text* says how much was typed as *value*, or how much is left: no message."""
    if not re.search(r"\d", text):
        return False
    if not re.search(r"[^\W\d_]", text) or re.match(r"\W*\d+\s*(/|of\b|left\b|remaining\b|char)", text, re.IGNORECASE):
        return True
    return bool(value and re.search(rf"\b{len(value)}\b", text) and re.search("char|letter|sign", text, re.IGNORECASE))


def pattern_of(message: Message, parameters: dict[str, str]) -> str:
    """Return a pattern for the texts of *message*, with any text for a placeholder that is not among *parameters*."""
    return "".join(
        re.escape(re.sub(r"\s+", " ", part)) if isinstance(part, str) else re.escape(parameters[part[0]]) if part[0] in parameters else ".*"
        for part in message.parts
    ).strip()


def parameters_of(rule: Rule) -> dict[str, str]:
    """Return the parameters of *rule* that do not change, as messages write them."""
    return {kind.name: reads_as(kind.parameter) for kind in rule.kinds if isinstance(kind.parameter, str | int | float)}


def _messages(form: Form, field: Field) -> Iterator[tuple[Message, dict[str, str]]]:
    label = {"label": field.label or label_of(field.name)}
    for rule in (*field.rules, *(rule for rule in form.rules if rule.at == field.path)):
        if rule.native and rule.say is None:
            continue  # the browser's own text, which its bubble shows
        for kind in rule.kinds:
            yield message_for(rule, kind, dict(form.texts), field.kind), {**parameters_of(rule), **label}
    for rule in form.server.rules:
        if rule.at == field.path and rule.say is not None:
            yield rule.say, label
    for reply in form.server.replies:
        for address, texts in reply.errors:
            if address and tuple("*" if isinstance(s, int) else s for s in parse_address(address) or ()) == field.path:
                yield from ((read_message(text.replace("{", "{{").replace("}", "}}")), {}) for text in texts)


def _long_enough(message: Message, parameters: dict[str, Any]) -> str:
    fixed = "".join(part if isinstance(part, str) else parameters.get(part[0], "") for part in message.parts)
    return pattern_of(message, parameters) if sum(map(str.isalnum, fixed)) >= _LEAST else ""
