"""Read each column's type from a schema, or guess it from the text."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from datetime import date, datetime, time
from decimal import Decimal
from typing import Any, Final, NamedTuple

from fuselatch.core.model.values import adapted, short


class Kind(NamedTuple):
    """A kind of value: its name in messages, its type, and how text is read and written."""

    what: str
    type: type
    read: Callable[[str], Any]
    write: Callable[[Any], str]


def read_tick(text: str) -> bool:
    return {"true": True, "false": False}[text.lower()]


def read_number(text: str) -> float:
    if not re.fullmatch(r"-?[0-9]+(\.[0-9]+)?([eE][-+]?[0-9]+)?", text):
        raise ValueError(text)
    return float(text)


def read_amount(text: str) -> Decimal:
    if not re.fullmatch(r"-?[0-9]+(\.[0-9]+)?", text):
        raise ValueError(text)
    return Decimal(text)


def read_text(text: str) -> str:
    return text


TEXT: Final = Kind("a text", str, read_text, str)
KINDS: Final[Mapping[str, Kind]] = {
    "integer": Kind("a whole number", int, int, str),
    "double": Kind("a number", float, read_number, repr),
    "decimal": Kind("an amount", Decimal, read_amount, lambda amount: f"{amount:f}"),
    "boolean": Kind("true or false", bool, read_tick, lambda tick: "true" if tick else "false"),
    "date": Kind("a date", date, date.fromisoformat, date.isoformat),
    "time": Kind("a time of day", time, time.fromisoformat, time.isoformat),
    "dateTime": Kind("a date and time", datetime, datetime.fromisoformat, datetime.isoformat),
    "string": TEXT,
}
"""Kinds by XML Schema datatype, in the order in which they are guessed."""

SAME: Final[Mapping[str, str]] = {
    "int": "integer", "long": "integer", "short": "integer", "nonNegativeInteger": "integer", "positiveInteger": "integer",
    "number": "double", "float": "double", "datetime": "dateTime", "any": "string", "anyAtomicType": "string",
}  # fmt: skip
"""Other datatypes, and the one that they are read as."""

OF_TYPE: Final[Mapping[type, Kind]] = {kind.type: kind for kind in KINDS.values()}


def kind_of(texts: Iterable[str]) -> Kind | None:
    """Return the first kind that reads and writes each text unchanged, or None."""
    given = {text for text in texts if text}
    if not given:
        return None
    return next(kind for kind in KINDS.values() if all(comes_back(kind, text) for text in given))


def comes_back(kind: Kind, text: str) -> bool:
    """Return True if text is the same after reading and writing."""
    try:
        return kind.write(kind.read(text)) == text
    except (ValueError, KeyError, OverflowError):
        return False


def fitted(value: Any, kind: Kind | None, where: str) -> Any:
    """Return a value as a column stores it (blank is None); raise `ValueError`."""
    if value is None or value == "":
        return None
    wanted = (OF_TYPE.get(type(value)) or TEXT) if kind is None else kind
    if isinstance(value, str) and wanted.type is not str:
        try:
            return wanted.read(value)
        except (ValueError, KeyError):
            pass
    try:
        return adapted(value, wanted.type)
    except TypeError:
        raise ValueError(f"{where} must be {wanted.what}, but it is {short(value)}") from None
