"""HTML's microsyntaxes for the values of form controls.

Pure functions on texts: numbers, email and web addresses, dates and times, colours, lengths, steps. Each cites the section of
the HTML Living Standard that it implements. This module does not use the model of a form.
"""

from __future__ import annotations

import re
from decimal import Context, Decimal, InvalidOperation
from typing import Any

Number = int | float

_FLOAT = re.compile(r"-?(?:[0-9]+(?:\.[0-9]+)?|\.[0-9]+)(?:[eE][-+]?[0-9]+)?")
# HTML, "Valid e-mail address": the standard's own expression.
_EMAIL = re.compile(
    r"[a-zA-Z0-9.!#$%&'*+/=?^_`{|}~-]+@[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?"
    r"(?:\.[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?)*"
)
_SPECIAL = frozenset({"http:", "https:", "ws:", "wss:", "ftp:", "file:"})
_HOST = re.compile(r"[a-z0-9.-]+")
_DATE = re.compile(r"([0-9]{4,})-([0-9]{2})-([0-9]{2})")
_MONTH = re.compile(r"([0-9]{4,})-([0-9]{2})")
_WEEK = re.compile(r"([0-9]{4,})-W([0-9]{2})")
_TIME = re.compile(r"([0-9]{2}):([0-9]{2})(?::([0-9]{2})(?:\.([0-9]{1,3}))?)?")
_COLOR = re.compile(r"#[0-9a-fA-F]{6}")
_DAY = 86_400_000
_FIRST_DAY = -719_162  # 0001-01-01
# A double has at most 650 decimal digits: with that precision, no remainder is ever rounded.
EXACT = Context(prec=800)
# ECMAScript, "WhiteSpace" and "LineTerminator": the characters that String.prototype.trim removes.
WHITE_SPACE = (
    "\t\n\v\f\r \u00a0\u1680\u2000\u2001\u2002\u2003\u2004\u2005\u2006\u2007\u2008\u2009\u200a"
    "\u2028\u2029\u202f\u205f\u3000\ufeff"
)
ASCII_WHITE_SPACE = "\t\n\f\r "

DATE_KINDS = frozenset({"date", "month", "week", "time", "datetime-local"})
# HTML, the type attribute's states: default step, step scale factor, default step base.
STEPS: dict[str, tuple[Decimal, int, Decimal]] = {
    "number": (Decimal(1), 1, Decimal(0)),
    "range": (Decimal(1), 1, Decimal(0)),
    "date": (Decimal(1), _DAY, Decimal(0)),
    "month": (Decimal(1), 1, Decimal(0)),
    "week": (Decimal(1), 7 * _DAY, Decimal(-259_200_000)),
    "time": (Decimal(60), 1000, Decimal(0)),
    "datetime-local": (Decimal(60), 1000, Decimal(0)),
}


def utf16_length(text: str) -> int:
    """The length of *text* in UTF-16 code units (Infra, "Strings"): an emoji counts as two."""
    return len(text) if text.isascii() else len(text) + sum(c > "\uffff" for c in text)


def tidy(number: float) -> Number:
    """*number* as JSON and ECMAScript write it: whole numbers without a fraction, no negative zero."""
    return int(number) if number == int(number) and abs(number) < 1e21 else number


def parse_number(text: str) -> Number | None:
    """Parse a valid floating-point number; None if *text* is not one.

    Implements HTML, "Valid floating-point number" and "rules for parsing floating-point number values":
    what rounds to no finite double is no value.
    """
    if text.isdigit() and text.isascii() and len(text) < 16:
        return int(text)
    if not _FLOAT.fullmatch(text):
        return None
    number = float(text)
    return None if number in (float("inf"), float("-inf")) else tidy(number)


def is_email(text: str) -> bool:
    """Return whether *text* is a valid e-mail address (HTML, "Valid e-mail address")."""
    return _EMAIL.fullmatch(text) is not None


def with_ascii_domain(address: str) -> str:
    """Return the value of an email address: an international domain is replaced by its ASCII name (HTML, "Email state"; UTS #46).

    What would not be a valid address then stays as it is.
    """
    if address.isascii():
        return address
    import ada_url

    name, at, domain = address.partition("@")
    try:
        known = ada_url.idna.encode(domain).decode("ascii")
    except (UnicodeError, ValueError):
        return address
    return name + at + known if is_email(name + at + known) else address


def is_url(text: str) -> bool:
    """Return whether *text* is an absolute URL: the URL standard's parser accepts it without a base."""
    import ada_url

    try:
        if not ada_url.check_url(text):
            return False
    except UnicodeError:
        return False
    return "xn--" not in text.lower() or _is_host(ada_url.URL(text), ada_url.idna)


def _is_host(url: Any, idna: Any) -> bool:
    """Return whether the ASCII name of an international domain is valid (URL, "Domain to ASCII"), which the parser does not check."""
    labels = url.hostname.lower().split(".") if url.protocol in _SPECIAL else []
    return not any(label.startswith("xn--") and idna.decode(label).isascii() for label in labels)


def is_color(text: str) -> bool:
    """Return whether *text* is a valid simple color (HTML, "Colors")."""
    return _COLOR.fullmatch(text) is not None


def strip_newlines(text: str) -> str:
    """*text* without newlines (Infra, "strip newlines")."""
    return text.replace("\r", "").replace("\n", "") if "\n" in text or "\r" in text else text


def _days_in_month(year: int, month: int) -> int:
    if month == 2:
        return 29 if year % 4 == 0 and (year % 100 != 0 or year % 400 == 0) else 28
    return 30 if month in (4, 6, 9, 11) else 31


def days_from_civil(year: int, month: int, day: int) -> int:
    """Days from 1970-01-01 to the given day of the proleptic Gregorian calendar."""
    year -= month <= 2
    era = year // 400
    year_of_era = year - era * 400
    day_of_year = (153 * (month + (-3 if month > 2 else 9)) + 2) // 5 + day - 1
    return era * 146_097 + year_of_era * 365 + year_of_era // 4 - year_of_era // 100 + day_of_year - 719_468


def civil_from_days(days: int) -> tuple[int, int, int]:
    """Year, month, day of the day *days* after 1970-01-01."""
    days += 719_468
    era = days // 146_097
    doe = days - era * 146_097
    yoe = (doe - doe // 1460 + doe // 36_524 - doe // 146_096) // 365
    doy = doe - (365 * yoe + yoe // 4 - yoe // 100)
    mp = (5 * doy + 2) // 153
    month = mp + 3 if mp < 10 else mp - 9
    return yoe + era * 400 + (month <= 2), month, doy - (153 * mp + 2) // 5 + 1


def _week_monday(year: int, week: int) -> int:
    fourth = days_from_civil(year, 1, 4)
    return fourth - (fourth + 3) % 7 + (week - 1) * 7


def weeks_of(year: int) -> int:
    """52 or 53: the number of weeks in the week-year (HTML, "Weeks")."""
    return (_week_monday(year + 1, 1) - _week_monday(year, 1)) // 7


def _date_number(text: str) -> int | None:
    found = _DATE.fullmatch(text)
    if not found or len(found[1]) > 6:
        return None
    year, month, day = int(found[1]), int(found[2]), int(found[3])
    if year < 1 or not 1 <= month <= 12 or not 1 <= day <= _days_in_month(year, month):
        return None
    return days_from_civil(year, month, day) * _DAY


def _time_number(text: str) -> int | None:
    found = _TIME.fullmatch(text)
    if not found:
        return None
    hour, minute, second = int(found[1]), int(found[2]), int(found[3] or 0)
    if hour > 23 or minute > 59 or second > 59:
        return None
    return ((hour * 60 + minute) * 60 + second) * 1000 + int((found[4] or "").ljust(3, "0"))


def date_number(kind: str, text: str) -> int | None:
    """Return the number of a date or time of *kind*; None if *text* is invalid.

    HTML, the "algorithm to convert a string to a number" of each state: milliseconds (date, week, time,
    datetime-local; the first three from 1970-01-01T00:00, time from midnight) or months since January 1970.
    """
    if kind == "date":
        return _date_number(text)
    if kind == "time":
        return _time_number(text)
    if kind == "month":
        found = _MONTH.fullmatch(text)
        if not found or len(found[1]) > 6 or int(found[1]) < 1 or not 1 <= int(found[2]) <= 12:
            return None
        return (int(found[1]) - 1970) * 12 + int(found[2]) - 1
    if kind == "week":
        found = _WEEK.fullmatch(text)
        if not found or len(found[1]) > 6 or int(found[1]) < 1:
            return None
        year, week = int(found[1]), int(found[2])
        return _week_monday(year, week) * _DAY if 1 <= week <= weeks_of(year) else None
    day, separator, time = text.partition("T" if "T" in text else " ")
    date, clock = _date_number(day), _time_number(time)
    return None if not separator or date is None or clock is None else date + clock


def date_text(kind: str, number: int) -> str:
    """Return the date or time of *kind* for *number*, "" if there is none: the inverse of `date_number`.

    HTML, the "algorithm to convert a number to a string" of each state.
    """
    if kind == "month":
        year, month = divmod(number, 12)
        return f"{year + 1970:04d}-{month + 1:02d}" if year > -1970 else ""
    days, rest = divmod(number, _DAY)
    if kind == "time":
        return _clock_text(rest) if days == 0 else ""
    if days < _FIRST_DAY:
        return ""
    if kind == "week":
        monday = days - (days + 3) % 7
        year = civil_from_days(monday + 3)[0]  # the year of its Thursday
        return f"{year:04d}-W{(monday - _week_monday(year, 1)) // 7 + 1:02d}"
    date = "{:04d}-{:02d}-{:02d}".format(*civil_from_days(days))
    return date if kind == "date" else f"{date}T{_clock_text(rest)}"


def _clock_text(thousandths: int) -> str:
    """Return the shortest form of a time: seconds and milliseconds only if they are not zero."""
    seconds, thousandths = divmod(thousandths, 1000)
    tail = f":{seconds % 60:02d}" if seconds % 60 or thousandths else ""
    tail += f".{thousandths:03d}".rstrip("0") if thousandths else ""
    return f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}{tail}"


def normal_datetime(text: str) -> str:
    """A valid local date and time as its normalised string (HTML, "Local dates and times")."""
    number = date_number("datetime-local", text)
    if number is None:
        return ""
    return f"{text.replace(' ', 'T').partition('T')[0]}T{_clock_text(number % _DAY)}"


def sanitise_date(kind: str, text: str) -> str:
    """HTML, the value sanitisation algorithm of the date and time states: an invalid value becomes empty."""
    if kind == "datetime-local":
        return normal_datetime(text)
    return text if date_number(kind, text) is not None else ""


def decimal_of(value: object) -> Decimal | None:
    """A number or number text as an exact decimal, or None."""
    if isinstance(value, bool) or not isinstance(value, int | float | str | Decimal):
        return None
    try:
        number = Decimal(str(value))
    except InvalidOperation:
        return None
    return number if number.is_finite() and abs(number.adjusted()) < 400 else None


def step_mismatch(value: Decimal, step: Decimal, base: Decimal) -> bool:
    """Return whether *value* is not an integral number of steps from *base* (HTML, "The step attribute").

    Exact decimals in place of doubles, so that tenths are tenths.
    """
    if step <= 0:
        return False
    return EXACT.remainder(EXACT.subtract(value, base), step) != 0


def sanitise_range(text: str, low: Number, high: Number, step: Number | None, base: Number | None = None) -> Number:
    """HTML, Range state: the value a slider of *low* to *high* takes for *text* (default: the middle).

    Clamped, then rounded to the nearest allowed step from *base* (None: *low*), upwards where two are equally near.
    """
    number = parse_number(text)
    low_d, high_d = Decimal(str(low)), Decimal(str(high))
    if number is None:
        value = low_d if high_d < low_d else low_d + (high_d - low_d) / 2
    else:
        value = Decimal(str(number))
    value = max(low_d, min(value, high_d)) if high_d >= low_d else low_d
    if step is not None and step > 0 and high_d >= low_d:
        step_d, base_d = Decimal(str(step)), Decimal(str(low if base is None else base))
        away = EXACT.remainder(EXACT.subtract(value, base_d), step_d)
        if away:
            below = EXACT.subtract(value, away + (step_d if away < 0 else 0))
            above = EXACT.add(below, step_d)
            fits = [v for v in (above, below) if low_d <= v <= high_d]
            if fits:
                value = min(fits, key=lambda v: abs(v - value))  # of two equally near the first: the upper one
    return tidy(float(value))
