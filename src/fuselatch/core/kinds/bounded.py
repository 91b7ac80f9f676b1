"""The base of numbers, dates and times: bounds, and a unit."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING, Any, Final, Generic, TypeVar, Unpack

from fuselatch.core.forms.control_options import EntryOptions, H
from fuselatch.core.forms.controls import LiveRange
from fuselatch.core.forms.declarations import Raises
from fuselatch.core.forms.defaults import LastEntered
from fuselatch.core.forms.inputs import InputControl
from fuselatch.core.forms.live_state import ControlState
from fuselatch.core.forms.rules import Rule
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import Value, shown_as

V = TypeVar("V")
G = TypeVar("G")

BOUNDS: Final[dict[str, Any]] = {"value": None, "default": None, "minimum": None, "maximum": None}
NUMBER_WIDE: Final = 12
"""The width of numbers, dates and times, in characters."""


class BoundOptions(EntryOptions, Generic[V, G], total=False):
    """Options of controls with bounds: their values, and what may be given for one. The bounds themselves are allowed."""

    value: G | Rule[V | None] | Rule[V]
    default: G | Rule[V] | Rule[V | None] | None
    minimum: G | Rule[V] | Rule[V | None] | None
    maximum: G | Rule[V] | Rule[V | None] | None
    unit: str


class Bounded(InputControl[LiveRange[V | None, V], V | None, V], Generic[V, H]):
    """A value with bounds. The bounds themselves are allowed, as in JSON Schema."""

    live = LiveRange
    rule_words = ("required", "minimum", "maximum")
    options = frozenset({*BoundOptions.__annotations__, "required"})
    typed = Raises("typed")
    bound_texts = "number"
    """The bounds' texts: "number" or "time"."""

    def __init__(
        self, caption: str | Rule[str] = "", *, required: Any = False, **options: Unpack[BoundOptions[V, Any]]
    ) -> None:
        self.unit = options.pop("unit", type(self).unit)
        super().__init__(caption, {**BOUNDS, "required": required, **options})
        for name in ("minimum", "maximum", "default"):
            if name in self.constants:
                self.constants[name] = self._constant(name, self.constants[name])
        least, most = self.constants.get("minimum"), self.constants.get("maximum")
        if least is not None and most is not None and least > most:
            raise DeclarationError(f"{type(self).__name__}({caption!r}): minimum {least} is greater than maximum {most}")

    if TYPE_CHECKING:

        @property
        def handed_over(self) -> H:  # type: ignore[override]
            """The type of its value in an outcome, for type checkers: never None if it is always required."""

    def _constant(self, name: str, value: object) -> object:
        if isinstance(value, LastEntered):
            first = value.first
            return value if first is None or callable(first) else LastEntered(self._constant(name, first))
        try:
            return self.coerce(value)
        except TypeError as error:
            raise DeclarationError(f"{type(self).__name__}({self.constants['caption']!r}): {name}: {error}") from None

    def width(self) -> int:
        return NUMBER_WIDE

    def with_unit(self, value: V, formats: Formats) -> str:
        """Return the value with its unit."""
        text = shown_as(self, value, formats)
        return f"{text} {self.unit}" if self.unit else text

    def validate(self, live: ControlState, value: Value, formats: Formats) -> list[Finding]:
        """Return the findings of `required`, `minimum` and `maximum`."""
        if value is None:
            return super().validate(live, value, formats)
        findings: list[Finding] = []
        way: Any = formats
        if live._cells is None and live._set is None:
            least, most = self.constants["minimum"], self.constants["maximum"]
        else:
            least, most = live._read("minimum"), live._read("maximum")
        if least is not None and value < least:
            findings.append(out_of_bounds(self, "minimum", value, least, way))
        if most is not None and value > most:
            findings.append(out_of_bounds(self, "maximum", value, most, way))
        return findings


@lru_cache(maxsize=256, typed=True)
def out_of_bounds(decl: Bounded[Any, Any], rule: str, value: object, limit: object, formats: Formats) -> Finding:
    """Return the finding for a value beyond a bound.

    It is kept: writing numbers is a large part of a check's cost, and a value is checked again at each submit.
    """
    given, allowed = decl.with_unit(value, formats), decl.with_unit(limit, formats)
    return Finding(user_text(formats, f"{rule}.{decl.bound_texts}", value=given, limit=allowed), rule=rule)
