"""Each column's kind: as a schema or a control declares it, or guessed from its texts."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from datetime import date, datetime, time
from decimal import Decimal
from typing import Final, NamedTuple

from fuselatch.core.model.values import Value, adapted, same, short


class Kind(NamedTuple):
    """A kind of value: its name in messages, its type, and how text is read and written."""

    what: str
    type: type
    read: Callable[[str], Value]
    write: Callable[[Value], str]


def read_tick(text: str) -> bool:
    return {"true": True, "false": False}[text.lower()]


WHOLE: Final = re.compile(r"[-+]?[0-9]+").fullmatch
NUMBER: Final = re.compile(r"[-+]?[0-9]+(\.[0-9]+)?([eE][-+]?[0-9]+)?").fullmatch
AMOUNT: Final = re.compile(r"[-+]?[0-9]+(\.[0-9]+)?").fullmatch


def read_whole(text: str) -> int:
    if not WHOLE(text):
        raise ValueError(text)
    return int(text)


def read_number(text: str) -> float:
    if not NUMBER(text):
        raise ValueError(text)
    return float(text)


def read_amount(text: str) -> Decimal:
    if not AMOUNT(text):
        raise ValueError(text)
    return Decimal(text)


def read_text(text: str) -> str:
    return text


TEXT: Final = Kind("a text", str, read_text, str)
KINDS: Final[Mapping[str, Kind]] = {
    "integer": Kind("a whole number", int, read_whole, str),
    "double": Kind("a number", float, read_number, repr),
    "decimal": Kind("an amount", Decimal, read_amount, lambda amount: f"{amount:f}"),
    "boolean": Kind("true or false", bool, read_tick, lambda tick: "true" if tick else "false"),
    "date": Kind("a date", date, date.fromisoformat, date.isoformat),
    "time": Kind("a time of day", time, time.fromisoformat, time.isoformat),
    "dateTime": Kind("a date and time", datetime, datetime.fromisoformat, datetime.isoformat),
    "string": TEXT,
}
"""Kinds by XML Schema datatype, in the order in which they are guessed."""


def with_comma(kind: Kind) -> Kind:
    """Return a kind of number whose decimals follow a comma."""

    def read(text: str) -> Value:
        if "." in text:
            raise ValueError(text)
        return kind.read(text.replace(",", "."))

    return Kind(kind.what, kind.type, read, lambda value: kind.write(value).replace(".", ","))


COMMA: Final[Mapping[type, Kind]] = {KINDS[name].type: with_comma(KINDS[name]) for name in ("double", "decimal")}
"""Numbers with a decimal comma, which a file separated by semicolons may have."""

SAME: Final[Mapping[str, str]] = {
    "int": "integer", "long": "integer", "short": "integer", "nonNegativeInteger": "integer", "positiveInteger": "integer",
    "number": "double", "float": "double", "datetime": "dateTime", "any": "string", "anyAtomicType": "string",
}  # fmt: skip
"""Other datatypes, and the one that they are read as."""

OF_TYPE: Final[Mapping[type, Kind]] = {kind.type: kind for kind in KINDS.values()}
NUMBERS: Final = frozenset({int, float, Decimal})
"""Types of guessed kinds that a new value may widen."""


def fitting_kinds(given: Iterable[str], comma: bool) -> Iterator[Kind]:
    """Yield the kinds that read and write each text unchanged, in the order in which they are guessed; the last is text."""
    kinds = [*KINDS.values()]
    if comma:
        kinds[-1:-1] = COMMA.values()
    return (kind for kind in kinds if all(comes_back(kind, text) for text in given))


def kind_of(texts: Iterable[str], wanted: type | None, comma: bool) -> Kind | None:
    """Return the kind of a column without a schema, or None if it has no texts and nothing says what it is.

    `wanted`: the type of the control that shows it; it decides, if all texts can be read as that.
    """
    if wanted is str:
        return TEXT
    given = {*texts} - {""}
    if wanted is not None and wanted in OF_TYPE:
        for kind in (OF_TYPE[wanted], *([COMMA[wanted]] if comma and wanted in COMMA else [])):
            if all(is_read(kind, text) for text in given):
                return kind
    return next(fitting_kinds(given, comma)) if given else None


def is_read(kind: Kind, text: str) -> bool:
    """Return True if text is one of a kind."""
    try:
        kind.read(text)
    except (ValueError, KeyError, OverflowError):
        return False
    return True


def comes_back(kind: Kind, text: str) -> bool:
    """Return True if text is the same after reading and writing."""
    try:
        if kind.type is int:
            # By far the most, such as keys.
            return str(int(text)) == text
        return kind.write(kind.read(text)) == text
    except (ValueError, KeyError, OverflowError):
        return False


def fitted(value: object, kind: Kind | None, where: str) -> Value:
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


def is_equal(value: object, found: object) -> bool:
    """Return True if a value that was read is the one that was written."""
    try:
        return same(adapted(found, type(value)), value) if not isinstance(value, str) else same(found, value)
    except TypeError:
        return False
