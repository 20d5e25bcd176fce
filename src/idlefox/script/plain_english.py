"""What people call steps that the language calls otherwise: by meaning, not by spelling."""

from __future__ import annotations

# Said word -> how the language says it. Only words that are no steps here.
MEANT: dict[str, str] = {
    "click": "press a button with `submit`, choose with `pick`, flip a checkbox with `turn … on`",
    "tap": "press a button with `submit`, choose with `pick`, flip a checkbox with `turn … on`",
    "enter": 'type text with: type FIELD "text"',
    "write": 'type text with: type FIELD "text"',
    "input": 'type text with: type FIELD "text"',
    "check": "turn a checkbox on with: turn FIELD on (what must hold begins with `expect`)",
    "tick": "turn a checkbox on with: turn FIELD on",
    "uncheck": "turn a checkbox off with: turn FIELD off",
    "untick": "turn a checkbox off with: turn FIELD off",
    "select": "choose with: pick FIELD VALUE",
    "choose": "choose with: pick FIELD VALUE",
    "delete": "erase characters with `erase`, empty a field with `clear`, take a row away with `remove`",
    "backspace": "erase characters with: erase FIELD N",
    "attach": 'choose a file with: upload FIELD "name.pdf"',
    "leave_field": "leave a field with `blur`",
    "tab": "press the key with: press Tab",
    "send": "send the form with `submit`",
    "save": "send the form with `submit`",
    "refresh": "load the page again with `reload`",
    "back": "come back to the page with `return`",
    "sleep": "let time pass with: wait 3s",
    "pause": "let time pass with: wait 3s",
    "assert": "say what must hold with: expect FIELD is valid",
    "verify": "say what must hold with: expect FIELD is valid",
    "should": "say what must hold with: expect FIELD is valid",
    "see": 'say what must be on show with: expect FIELD shows "message"',
    "visit": 'name the form at the head of the script: subject "FORM.form.yaml"',
    "call": "play a routine with: do NAME(value)",
    "run": "play a routine with: do NAME(value)",
    "test": 'begin a test with: scenario "what should hold"',
    "before": "what comes first in every scenario stands under `prelude`",
    "comment": "a remark begins with #",
}
