"""Differences between browsers and the standard, or between browsers: which one, why, for which pages, and in which values.

Each is listed in `docs/pages.md` and is *shown* by a case in which it must occur.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, NamedTuple

from page_cases import Case

VALUE = frozenset({"values", "entries", "sent"})
JUDGED = frozenset({"flags", "valid", "marked", "focus", "sent"})
EVERYTHING = VALUE | JUDGED


class Explanation(NamedTuple):
    browsers: str  # chromium, firefox, or both of them
    why: str
    shown: str  # the title of a case
    applies: Callable[[Case], Any]
    touches: frozenset[str] = EVERYTHING


def _in(pattern: str, steps: str = "") -> Callable[[Case], bool]:
    return lambda case: bool(re.search(pattern, case.markup, re.DOTALL) and re.search(steps, case.steps))


def _number(case: Case, name: str, usual: float) -> float:
    found = re.search(rf"{name}=[\"']?(-?[\d.]+(?:e\d+)?)(?=[\"' >])", case.markup)
    return float(found[1]) if found else usual


def _slider_turned_round(case: Case) -> bool:
    return "type=range" in case.markup and _number(case, "min", 0) > _number(case, "max", 100)


BOTH = "chromium firefox"
_PLAIN = r"-?[0-9]*\.?[0-9]*"  # what a number control of any browser takes as it is
EXPLANATIONS = (
    Explanation(BOTH, "a space in the host of a file: URL fails the URL standard's parser; they let it pass", "type=url xn = 'file://a b/'", _in("file://a b")),
    Explanation("chromium", "a space in a host fails the URL standard's parser; Chromium lets it pass", "type=url = 'http://a b/'", _in("http://a b")),
    Explanation("chromium", "an ASCII name that stands for no international domain is no host; Chromium takes it", "type=url xn = 'http://xn--a'", _in("http://xn--")),
    Explanation(BOTH, "min, max and step are read by the rules for parsing numbers: white space and + before, and what follows, do not count; they take "
        "none of it", "type=number max=' 7' = '8'", _in(r"(min|max|step)=[\"']?(\s\d|\+\d|\d+x)"), JUDGED),
    Explanation("firefox", "5.e1 is read as 50 by those rules; Firefox takes it as no number", "type=number min=5.e1 = '6'", _in(r"(min|max)=5\.e1"), JUDGED),
    Explanation(BOTH, "5.e1 is no valid floating-point number; they take it", "type=number = '5.e1'", _in(r"type=number.*value=\"5\.e1")),
    Explanation("firefox", "5. is no valid floating-point number; Firefox takes it", "type=number = '5.'", _in(r"type=number.*value=\"5\.\"")),
    Explanation(BOTH, "an arrow never leads the other way; from nothing it does there", "an arrow up where all is below nothing",
        lambda case: _in("type=number", "Arrow")(case) and (_number(case, "max", 0) < 0 or _number(case, "min", 0) > 0)),
    Explanation("chromium", "a slider's valid number stays as it is written; Chromium rewrites it", "type=range = '5.0'",
        _in(r"type=range[^>]*value=\"?(5\.0|1e1|-0|\.5|007|1e-7|9{20})|type=range[^>]*(min|max)=\"?1e"), VALUE),
    Explanation("chromium", "a slider whose most is below its least stands at the least, which is above the most: rangeOverflow",
        "type=range min=200 = '50'", _slider_turned_round),
    Explanation("chromium", "of two steps equally near the upper one is taken; Chromium goes away from the step base", "type=range step=2 = '70': set a 3",
        _in("type=range.*step", "set a"), VALUE),
    Explanation(BOTH, "line breaks are stripped; they put spaces for them on the way in", "type=text = '': paste a \"two\\nlines\"", _in("type=text", "paste")),
    Explanation(BOTH, "the value of a URL has no white space around it; they strip it only from a value set by markup",
        "type=url = '': type a \" http://x.example \"", _in("type=url", 'type a " |Space')),
    Explanation(BOTH, "a required radio button without a name is a group of its own; they ask nothing of it", "radio buttons without a name",
        _in("<input type=radio id=[^>]*required")),
    Explanation(BOTH, "what stands in a datalist makes no entry; they make one", "a datalist bars what is in it", _in("<datalist[^>]*><input"), VALUE),
    Explanation(BOTH, "without a value attribute a submit button's value is empty; they send a word of their own for it", "a submit button's usual value",
        _in("<input type=submit name=s>"), frozenset({"sent"})),
    Explanation(BOTH, "a FormData object made by script is always in UTF-8; the request is the same", "accept-charset", _in("accept-charset"),
        frozenset({"entries"})),
    Explanation(BOTH, "dirname is heeded for every hidden field; they leave out the one that tells the charset", "the charset field with a direction",
        _in("_charset_ dirname"), VALUE),
    Explanation("firefox", "month and week are controls of their own; Firefox has them as texts", "type=month = '2031-13'", _in("type=(month|week)")),
    Explanation(BOTH, "a step of one day and a half is that; they round steps of dates, weeks and months to whole ones",
        "type=date min=1970-01-01 step=1.5 = '1970-01-03'", _in(r"type=(date|week|month)\b[^>]*step=\"?\d*\.\d"), JUDGED),
    Explanation("firefox", "a local date and time is written in the shortest way; Firefox leaves it", "type=datetime-local = '2031-05-02T09:30:10.500'",
        _in(r"type=datetime-local.*\.500"), VALUE),
    Explanation("firefox", "a time is written in the shortest way; Firefox writes the seconds where there may be some", "a time where seconds may be",
        _in("type=(time|datetime-local)", "set a"), VALUE),
    Explanation("firefox", "from what is no number an arrow goes as from nothing; in Firefox nowhere", "type=number step=2 = '': retype a \"1e\"; press ArrowDown in a",
        _in("type=number", 'a "[^"]*[^"0-9.-][^"]*".*Arrow|a "[^"]*[.-]".*Arrow|a "-?[0-9]*[.-][0-9]+[.-].*Arrow|a "[^"]*--.*Arrow|erase a.*Arrow')),
    Explanation("chromium", "a field is marked once it has been left; Chromium takes an arrow from what is no number for that",
        "an arrow from a number that was cut off", _in("type=number", "erase a.*Arrow"), frozenset({"marked"})),
    Explanation("chromium", "a telephone number without a valid dir runs from left to right; Chromium takes an empty dir for one",
        "dirname of a telephone number with an empty dir", _in('type=tel[^>]*dir=""'), frozenset({"entries", "sent"})),
    Explanation("chromium", "text typed into a number that does not parse is bad input; Chromium drops the characters that do not fit", "a number with a comma, typed",
        _in("type=number", f'a "(?!{_PLAIN}")|type a "[^"]*[.-]|Space')),
    Explanation("chromium", "-0. is typed on to -0.5 and is 0 so far; Chromium keeps the sign", "an arrow to below zero, and no fraction",
        _in("type=number", "Arrow.*erase"), VALUE),
    Explanation("firefox", "a number is written in ASCII digits; Firefox reads those of other scripts", "a number in Arabic digits",
        lambda case: "type=number" in case.markup and re.search("[٠-٩]", case.markup + case.steps)),
    Explanation("firefox", "from a checkbox, a radio button or a date Enter submits by a button alone; in Firefox also without one",
        "Enter in a checkbox without a button", _in("type=(checkbox|radio|date|time|datetime-local)", "Enter"), frozenset({"sent", "focus", "marked"})),
    Explanation("firefox", "the tab stop of a radio group is its first button that can have one; Firefox goes by the tabindex of the first",
        "a radio group whose first button is no tab stop", _in("type=radio[^>]*tabindex=-1"), frozenset({"focus"})),
    Explanation("firefox", "the value of an e-mail address has no white space around it; Firefox strips it only from a value set by markup",
        "a space typed into an e-mail address", _in("type=email", "Space")),
    Explanation("chromium", "an empty dirname sends nothing; in Chromium it does", "an empty dirname", _in("dirname(=\"\"|[ >])"), frozenset({"entries", "sent"})),
    Explanation("chromium", "a disabled default button bars Enter; Chromium takes the next one", "Enter where the default button is disabled and another is not",
        _in("<button[^>]* disabled>.*<(button|input type=(submit|image))", "Enter"), frozenset({"sent", "focus", "marked"})),
    Explanation("firefox", "where any step will do an arrow adds one; Firefox goes to the next whole number", "an arrow from a fraction, any step",
        _in("type=number[^>]*step=any", "Arrow")),
    Explanation("chromium", "the direction of a bdi element is that of its text; Chromium takes that of what is around it", "dirname in a bdi element",
        _in("<bdi>"), frozenset({"entries", "sent"})),
    Explanation("chromium", "formmethod=get sends a query whatever the form's enctype; Chromium writes it as plain text", "text/plain and a button with formmethod=get",
        _in("text/plain.*formmethod=get|formmethod=get.*text/plain"), frozenset({"sent"})),
    Explanation("firefox", "a domain of more than 63 characters is not an address; Firefox calls it badInput as well",
        f"type=email = 'a@{'b' * 64}'", lambda case: "b" * 64 in case.markup + case.steps, JUDGED),
    Explanation("firefox", "an international domain goes by its ASCII name; Firefox leaves it", "an international domain, typed",
        lambda case: "type=email" in case.markup and not (case.markup + case.steps).isascii()),
    Explanation("firefox", "at the limit no half of a character is taken; Firefox takes one", "type=text maxlength=3 = '': type a \"🔦🔦\"",
        _in("maxlength", "🔦")),
    Explanation("firefox", "where nothing of what is typed over a selection fits, the selection goes; Firefox keeps it",
        "type=text maxlength=0 = 'x': retype a \"ab\"", _in("maxlength=[\"']?0", "retype")),
    Explanation("firefox", "Enter on a slider submits; in Firefox it does not", "Enter on a slider", _in("type=range", "Enter"), frozenset({"sent", "marked", "focus"})),
    Explanation("firefox", "a field is marked once it has been left; Firefox takes an arrow for that", "type=number = '5': press ArrowUp in a; retype a \"1e\"",
        _in("type=number", "Arrow"), frozenset({"marked"})),
    Explanation(BOTH, "steps are counted exactly; they round where numbers have more than 15 digits",
        "type=number = '99999999999999999999': retype a \"-2.5\"", _in("type=number.*99999999999999999999")),
    Explanation("chromium", "where the least is above the most an arrow leads nowhere; in Chromium it does", "arrows where there is nowhere to go",
        lambda case: "type=number" in case.markup and "Arrow" in case.steps and _number(case, "min", 0) > _number(case, "max", 1e300)),
    Explanation(BOTH, "several checkboxes of a name are one field here, marked as one; there each of them is", "a group of checkboxes is marked as one",
        _in("type=checkbox.*type=checkbox", "pick"), frozenset({"marked"})),
)  # fmt: skip


def explanation(case: Case, browser: str, mine: dict[str, Any], theirs: dict[str, Any]) -> str:
    """Why *browser* answers otherwise; "" where nothing explains it."""
    differing = {key for key in mine if mine[key] != theirs[key]}
    return next((e.why for e in EXPLANATIONS if browser in e.browsers and e.applies(case) and differing <= e.touches), "")
