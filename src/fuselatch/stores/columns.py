"""Columns of text: what kind of value each holds, told by a schema or by the text itself."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from datetime import date, datetime, time
from decimal import Decimal
from typing import Any, Final, NamedTuple

from fuselatch.core.model.values import adapted, short


class Kind(NamedTuple):
    """A kind of value: what messages call it, its type, and how a text is read (`ValueError`) and written."""

    what: str
    type: type
    read: Callable[[str], Any]
    write: Callable[[Any], str]


def read_tick(text: str) -> bool:
    """true or false."""
    return {"true": True, "false": False}[text.lower()]


def read_number(text: str) -> float:
    """A finite number."""
    if not re.fullmatch(r"-?[0-9]+(\.[0-9]+)?([eE][-+]?[0-9]+)?", text):
        raise ValueError(text)
    return float(text)


def read_amount(text: str) -> Decimal:
    """A number with all its places."""
    if not re.fullmatch(r"-?[0-9]+(\.[0-9]+)?", text):
        raise ValueError(text)
    return Decimal(text)


def read_text(text: str) -> str:
    """The text itself."""
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
"""Kinds by the names of the datatypes of XML Schema; a guess takes the first that writes every text as it stands."""

SAME: Final[Mapping[str, str]] = {
    "int": "integer", "long": "integer", "short": "integer", "nonNegativeInteger": "integer", "positiveInteger": "integer",
    "number": "double", "float": "double", "datetime": "dateTime", "any": "string", "anyAtomicType": "string",
}  # fmt: skip
"""Other names of those datatypes, which stand for one of them here."""

OF_TYPE: Final[Mapping[type, Kind]] = {kind.type: kind for kind in KINDS.values()}


def kind_of(texts: Iterable[str]) -> Kind | None:
    """The first kind for which each text comes back as it stands, so that nothing is lost; None where all are blank."""
    given = {text for text in texts if text}
    if not given:
        return None
    return next(kind for kind in KINDS.values() if all(comes_back(kind, text) for text in given))


def comes_back(kind: Kind, text: str) -> bool:
    """Whether a text, read and written again, is the same."""
    try:
        return kind.write(kind.read(text)) == text
    except (ValueError, KeyError, OverflowError):
        return False


def fitted(value: Any, kind: Kind | None, where: str) -> Any:
    """A value as a column of a kind holds it (None: any, by its own type); blank is None. Raises `ValueError`."""
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
