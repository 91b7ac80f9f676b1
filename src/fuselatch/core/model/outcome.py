"""A closed form's result."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from datetime import date, time
from decimal import Decimal
from math import isfinite
from types import MappingProxyType
from typing import Generic, Protocol, TypeVar

from fuselatch.core.model.errors import Blank, UnknownName
from fuselatch.core.model.findings import Override
from fuselatch.core.model.json_text import Plain
from fuselatch.core.model.names import suggest
from fuselatch.core.model.values import Value, dots

ACCEPTED = "accepted"
CANCELLED = "cancelled"

R_co = TypeVar("R_co", covariant=True)


class Named(Protocol, Generic[R_co]):
    """The members of a declared control that an outcome needs."""

    @property
    def name(self) -> str:
        """The control's path."""

    @property
    def handed_over(self) -> R_co:
        """The type of its value, for type checkers: never None if the control is always required."""


class Outcome:
    """A snapshot of a form's values that outlives the form.

    `verdict`: "accepted", "cancelled" or your own. `values`: values by path, empty if cancelled. `overrides`: the warnings
    that the user confirmed. `masked`: the paths of passwords and of what is derived from them; those of a line's begin
    with the lines' name.
    """

    __slots__ = ("masked", "overrides", "values", "verdict")

    def __init__(
        self,
        verdict: str,
        values: Mapping[str, Value],
        overrides: tuple[Override, ...] = (),
        masked: frozenset[str] = frozenset(),
    ) -> None:
        self.verdict = verdict
        self.values: Mapping[str, Value] = MappingProxyType(dict(values))
        self.overrides = overrides
        self.masked = masked

    @property
    def accepted(self) -> bool:
        """True if the form was accepted."""
        return self.verdict == ACCEPTED

    def __getitem__(self, control: Named[R_co]) -> R_co:
        """Return the value of a declared control: `outcome[VesselSearch.match]`.

        Raises `UnknownName` if there is no such value, and `Blank` if a required control is blank after all: because it was
        hidden or disabled, or the form closed with a verdict of its own. `values` has None then.
        """
        try:
            value: R_co = self.values[control.name]
        except KeyError:
            hint = "a cancelled outcome has no values" if not self.values else suggest(control.name, self.values)
            raise UnknownName(f"the '{self.verdict}' outcome has no value '{control.name}'; {hint}") from None
        if value is None and getattr(control, "constants", {}).get("required") is True:
            raise Blank("outcome", control.name, f"outcome.values['{control.name}'] gives None")
        return value

    def to_dict(self) -> Plain:
        """Return verdict, values and confirmed warnings as plain data for JSON.

        Amounts are text ("12.50"), dates and times ISO 8601, several items lists, lines lists of objects. Anything else that
        JSON has no type for is its text.
        """
        return {
            "verdict": self.verdict,
            "values": {name: plain_value(value) for name, value in self.values.items()},
            "overrides": [asdict(override) for override in self.overrides],
        }

    @property
    def shown(self) -> Mapping[str, object]:
        """The values as people may see them: `MASK` for each character of what is masked."""
        if not self.masked:
            return self.values
        return {name: self._shown(name, value) for name, value in self.values.items()}

    def _shown(self, name: str, value: object) -> Value:
        if name in self.masked:
            return dots(value)
        if isinstance(value, tuple) and any(path.startswith(f"{name}.") for path in self.masked):
            return tuple([{path: self._shown(f"{name}.{path}", one) for path, one in line.items()} for line in value])
        return value

    def __reduce__(self) -> tuple[type[Outcome], tuple[object, ...]]:
        # A mapping proxy can neither be pickled nor copied.
        return Outcome, (self.verdict, dict(self.values), self.overrides, self.masked)

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Outcome):
            return NotImplemented
        mine, others = ((one.verdict, dict(one.values), one.overrides, one.masked) for one in (self, other))
        return mine == others

    __hash__ = None  # type: ignore[assignment]

    def __repr__(self) -> str:
        return f"Outcome({self.verdict!r}, {dict(self.shown)!r})"


def plain_value(value: object) -> Value:
    """Return a value as JSON has it."""
    if isinstance(value, float) and not isfinite(value):
        # Strict JSON has no infinity and no NaN (RFC 8259, section 6).
        return str(value)
    if value is None or isinstance(value, str | bool | int | float):
        return value
    if isinstance(value, Decimal):
        return f"{value:f}"
    if isinstance(value, date | time):
        return value.isoformat()
    if isinstance(value, Mapping):
        return {str(name): plain_value(one) for name, one in value.items()}
    if isinstance(value, Sequence):
        return [plain_value(one) for one in value]
    return str(value)
