"""How the names of files say when they were taken: a pattern that one example shows.

A pattern is the part of a name that holds date and time, with fields in the place of numbers: `{day}.{month}.{yy}_{hour}{minute}`. `*`
stands for anything. What a name has before and after does not matter.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import UTC, datetime

from north_hush.core.errors import HushError
from north_hush.core.words import tr

_FIELDS = {
    "year": r"(?P<year>\d{4})", "yy": r"(?P<yy>\d{2})", "month": r"(?P<month>\d{2})", "day": r"(?P<day>\d{2})",
    "hour": r"(?P<hour>\d{2})", "minute": r"(?P<minute>\d{2})", "second": r"(?P<second>\d{2})", "unix": r"(?P<unix>\d{10})(?:\d{3})?",
}  # fmt: skip
_DATES = (("year", "month", "day"), ("day", "month", "year"), ("month", "day", "year"), ("yy", "month", "day"), ("day", "month", "yy"),
          ("month", "day", "yy"))  # fmt: skip
_PLACED = re.compile(r"\{(\w+)\}")
_BETWEEN = r"(\D{0,2}?)"
_NEEDED = ({"unix"}, {"year", "month", "day", "hour", "minute"}, {"yy", "month", "day", "hour", "minute"})


def check_pattern(pattern: str) -> str:
    """The pattern, if it is one; an empty one too.

    Raises
    ------
    ValueError : a field is unknown, there twice, or one that is needed is missing.
    """
    fields = _PLACED.findall(pattern)
    if not pattern:
        return pattern
    for field in fields:
        if field not in _FIELDS:
            raise ValueError(f"'{{{field}}}' is no field; there are {', '.join(f'{{{one}}}' for one in _FIELDS)}")
        if fields.count(field) > 1:
            raise ValueError(f"'{{{field}}}' is there twice")
    if not any(needed <= set(fields) for needed in _NEEDED):
        raise ValueError(
            f"'{pattern}' names no day and time; write one as {{year}}-{{month}}-{{day}}_{{hour}}{{minute}}"
        )
    return pattern


def moment_of(pattern: str, name: str) -> datetime | None:
    """The moment that a name states by a pattern, without an offset (unless it counts seconds of UTC); None where it does not fit."""
    parts = re.split(r"(\{\w+\}|\*)", pattern)
    expression = "".join(".*?" if part == "*" else _FIELDS.get(part[1:-1], "") if _PLACED.fullmatch(part) else re.escape(part)
                         for part in parts)  # fmt: skip
    found = re.search(rf"(?<!\d){expression}", name)
    if found is None:
        return None
    told = {field: int(value) for field, value in found.groupdict().items() if value is not None}
    try:
        if "unix" in told:
            return datetime.fromtimestamp(told["unix"], UTC)
        year = told["year"] if "year" in told else 2000 + told["yy"]
        return datetime(year, told["month"], told["day"], told["hour"], told["minute"], told.get("second", 0))
    except (ValueError, OverflowError, OSError):
        return None


def pattern_of(name: str, moment: datetime) -> str:
    """The pattern by which a name states a moment, on the clock of the site; one that counts seconds of UTC where it has an offset.

    Raises
    ------
    HushError : the name does not say it, or says it in a way that leaves open which number is which.
    """
    found = list(dict.fromkeys(_patterns(name, moment)))
    if not found:
        raise HushError(
            name,
            tr("does not say {moment:%Y-%m-%d %H:%M:%S} anywhere.", moment=moment),
            tr("Give the moment that its name states."),
        )
    whole = [pattern for pattern in found if "{second}" in pattern or "{unix}" in pattern] or found
    if len(whole) > 1:
        raise HushError(
            name,
            tr(
                "can be read in {count} ways, as {whole} and as {whole2}.",
                count=len(whole),
                whole=whole[0],
                whole2=whole[1],
            ),
            tr("Show one of another day."),
        )
    return whole[0]


def _patterns(name: str, moment: datetime) -> Iterator[str]:
    if moment.tzinfo is not None and re.search(rf"(?<!\d){int(moment.timestamp())}", name):
        yield "{unix}"
    for date in _DATES:
        for clock in (("hour", "minute", "second"), ("hour", "minute")):
            for fields, between in (((*date, *clock), len(date)), ((*clock, *date), len(clock))):
                yield from _placed(name, moment, fields, between)


def _placed(name: str, moment: datetime, fields: tuple[str, ...], apart: int) -> Iterator[str]:
    """The pattern of fields in an order, where a name says them so; between date and clock anything may stand."""
    said = {"year": f"{moment:%Y}", "yy": f"{moment:%y}", "month": f"{moment:%m}", "day": f"{moment:%d}", "hour": f"{moment:%H}",
            "minute": f"{moment:%M}", "second": f"{moment:%S}"}  # fmt: skip
    expression = r"(?<!\d)"
    for place, field in enumerate(fields):
        expression += "" if place == 0 else "(.*?)" if place == apart else _BETWEEN
        expression += said[field]
    found = re.search(expression, name)
    if found is None or ("second" not in fields and _goes_on(name, found, fields.index("minute"))):
        return
    between = [
        text if place + 1 != apart or re.fullmatch(r"\D{0,3}", text) else "*"
        for place, text in enumerate(found.groups())
    ]
    yield "".join(f"{gap}{{{field}}}" for gap, field in zip(["", *between], fields, strict=True))


def _goes_on(name: str, found: re.Match[str], minute: int) -> bool:
    """Whether seconds follow on the minutes that were found: then these are none of the moment."""
    end = found.end() if minute + 1 == len(found.groups()) + 1 else found.start(minute + 1)
    return re.match(rf"(?:{re.escape(found[minute])})\d\d(?!\d)", name[end:]) is not None
