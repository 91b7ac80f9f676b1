"""What a form leaves behind when it closes."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any, Generic, Protocol, TypeVar

from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.findings import Override
from fuselatch.core.model.names import suggest

ACCEPTED = "accepted"
CANCELLED = "cancelled"

R_co = TypeVar("R_co", covariant=True)


class Named(Protocol, Generic[R_co]):
    """A declared control, as far as an outcome needs it: its path, and the type that it holds."""

    @property
    def name(self) -> str:
        """The control's path."""

    @property
    def blank(self) -> R_co:
        """What it holds when blank."""


class Outcome:
    """A snapshot that outlives its form.

    `verdict` is "accepted", "cancelled" or the form's own word; `values` maps a control's path
    to its value (empty when cancelled); `overrides` lists the warnings that a person went on in
    spite of.
    """

    __slots__ = ("overrides", "values", "verdict")

    def __init__(self, verdict: str, values: Mapping[str, Any], overrides: tuple[Override, ...] = ()) -> None:
        self.verdict = verdict
        self.values: Mapping[str, Any] = MappingProxyType(dict(values))
        self.overrides = overrides

    @property
    def accepted(self) -> bool:
        """Whether the form was accepted."""
        return self.verdict == ACCEPTED

    def __getitem__(self, control: Named[R_co]) -> R_co:
        """The value of a declared control, typed: `outcome[VesselSearch.match]`.

        Raises `UnknownName` where the outcome has no such value (a cancelled one has none).
        """
        try:
            value: R_co = self.values[control.name]
        except KeyError:
            hint = "a cancelled outcome has no values" if not self.values else suggest(control.name, self.values)
            raise UnknownName(f"the '{self.verdict}' outcome has no value '{control.name}'; {hint}") from None
        return value

    def __repr__(self) -> str:
        return f"Outcome({self.verdict!r}, {dict(self.values)!r})"
