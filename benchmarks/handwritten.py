"""The reference for keystrokes: the demo's booking fields written by hand in plain Python, for these rules only.

Does the work of the engine for each key: raw text, value, dirty, rules, sums, report, reveal, and a trace of the changes.
"""

from __future__ import annotations

import re

_EMAIL = re.compile(r"[a-zA-Z0-9.!#$%&'*+/=?^_`{|}~-]+@[a-zA-Z0-9-]+(?:\.[a-zA-Z0-9-]+)*")
_PLATE = re.compile(r"[A-Z]{2}[0-9]{3,5}")


def _email(value: str) -> int:
    if not value.strip():
        return 1
    return (0 if _EMAIL.fullmatch(value.strip()) else 2) | (4 if len(value) > 60 else 0)


def _plate(value: str) -> int:
    return 1 if not value else 0 if _PLATE.fullmatch(value.upper()) else 2


def _voucher(value: str) -> int:
    return 0 if not value else (1 if len(value) < 8 else 0) | (2 if len(value) > 8 else 0)


def _name(value: str) -> int:
    return 0 if value else 1


class Field:
    __slots__ = ("breaks", "dirty", "form", "initial", "messages", "raw", "reported", "rules", "seen", "shows", "touched", "value")

    def __init__(self, form, rules, messages):
        self.form, self.rules, self.messages = form, rules, messages
        self.raw = self.value = self.initial = ""
        self.dirty = self.touched = self.seen = False
        self.reported = self.shows = ()
        self.breaks = rules("")
        form.invalid += self.breaks != 0


class Form:
    """Reports first on blur, then on change; reveals when touched or submitted."""

    def __init__(self):
        self.trace = []
        self.invalid = self.dirty = self.submitted = self.now = self.step = 0
        self.email = Field(self, _email, ("We need an address.", "That is not an address.", "At most 60."))
        self.plate = Field(self, _plate, ("We need the plate.", "A plate looks like SK4711."))
        self.voucher = Field(self, _voucher, ("Eight characters.", "Eight characters."))
        self.name = Field(self, _name, ("A name, please.",))

    def key(self, field, character):
        trace, step, now = self.trace, self.step, self.now
        raw = field.raw + character
        trace.append((step, now, field, "reads", field.raw, raw))
        trace.append((step, now, field, "value", field.value, raw))
        field.raw = field.value = raw
        dirty = raw != field.initial
        if dirty is not field.dirty:
            trace.append((step, now, field, "dirty", field.dirty, dirty))
            self.dirty += 1 if dirty else -1
            field.dirty = dirty
        breaks = field.rules(raw)
        if breaks != field.breaks:
            trace.append((step, now, field, "breaks", field.breaks, breaks))
            self.invalid += (breaks != 0) - (field.breaks != 0)
            field.breaks = breaks
        if field.seen:
            said = tuple(m for i, m in enumerate(field.messages) if breaks >> i & 1)
            if said != field.reported:
                trace.append((step, now, field, "reported", field.reported, said))
                field.reported = said
                shows = said[:1] if field.touched or self.submitted else ()
                trace.append((step, now, field, "shows", field.shows, shows))
                field.shows = shows

    def type(self, field, text):
        for character in text:
            self.key(field, character)

    def blur(self, field):
        field.touched = field.seen = True
        self.key(field, "")
