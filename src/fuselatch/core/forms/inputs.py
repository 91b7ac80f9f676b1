"""Controls that can be filled in.

`InputControl[L, R, G]` knows the type of its live control, the type of its value (`R`) and of a value that isn't blank
(`G`), for type checkers and editors.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import date, time
from decimal import Decimal
from typing import (
    TYPE_CHECKING,
    Any,
    ClassVar,
    Final,
    Generic,
    TypeVar,
)

from fuselatch.core.forms.control_options import InputOptions
from fuselatch.core.forms.controls import Live, LiveInput
from fuselatch.core.forms.declarations import OF_ENTRIES, Declaration, Memo, Raises
from fuselatch.core.forms.defaults import LastEntered, NthChoice
from fuselatch.core.forms.live_state import ControlState, seen
from fuselatch.core.forms.rules import Constant, Rule, is_rule
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.json_text import Plain
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import Value, one_line, shown_as
from fuselatch.core.model.view import FieldPart, Part

USUAL_BYTES: Final = 10_000
"""The longest text for an entry that says no more (`max_length`), in bytes of UTF-8."""
MOST_BYTES: Final = 48_000
"""The longest text for any entry, in bytes of UTF-8."""

L_co = TypeVar("L_co", bound=Live, covariant=True)
R_co = TypeVar("R_co", covariant=True)
G_co = TypeVar("G_co", covariant=True)


class InputControl(Declaration[L_co], Generic[L_co, R_co, G_co]):
    """A control that has a value and can be filled in.

    A subclass defines `coerce` (convert a program's value), `parse` (read typed text), `show` (write a value) and `validate`
    (find problems). It says how a value is entered (`enters`), what fits (`example`, `sample`) and what doesn't (`wrong`),
    its JSON type (`json`, `schema`), and the Python type that it is for in generated forms (`generated_for`).
    """

    live: ClassVar[type[Live]] = LiveInput
    accepts = frozenset({"type"})
    enters: ClassVar[str] = "type"
    """The verb that enters a value."""
    example: str = ""
    """Something to type that fits, if no rule refuses it."""
    json: ClassVar[Plain] = {"type": "string"}
    generated_for: ClassVar[type | None] = None
    options = frozenset(InputOptions.__annotations__)
    takes_focus = True
    holds_value = True
    is_checked = True
    needed: ClassVar[str] = "required.entry"
    """The id of the text that is shown while a required control is blank."""
    holds_a: ClassVar[str] = "text"
    """The type of a field's text, for whoever draws it: text, number, date, time or datetime."""
    of_record: ClassVar[type | None] = None
    """The type that a record's value is converted to (None: no conversion)."""
    entered = Raises("entered")
    leaving = Raises("leaving")
    left = Raises("left")
    changed = Raises("changed")
    double_clicked = Raises("double_clicked")

    def __init__(self, caption: str | Rule[str] = "", options: Mapping[str, Any] | None = None, **more: Any) -> None:
        """Declare a control. `options`: those to be checked by name; without them, all of `more` are options."""
        if options is None:
            options = {name: value for name, value in more.items() if name not in ("value", "default")}
            more = {"value": more.get("value"), "default": more.get("default")}
        given = more.get("value")
        if given is not None and not is_rule(given):
            try:
                more["value"] = Constant(self.coerce(given))
            except TypeError as error:
                raise DeclarationError(f"{type(self).__name__}({caption!r}): value: {error}") from None
        self.fields: dict[Formats, FieldPart] = {}
        super().__init__(caption, {**OF_ENTRIES, **options}, **more)

    @property
    def blank(self) -> R_co:
        """The control's blank value."""
        return None  # type: ignore[return-value]

    if TYPE_CHECKING:

        @property
        def holds(self) -> G_co:
            """The type of a value that isn't blank, for type checkers."""

        @property
        def handed_over(self) -> R_co:
            """The type of its value in an outcome, for type checkers."""

    def longest(self) -> int:
        """Return the longest text that a front end may send, in bytes of UTF-8."""
        return MOST_BYTES if (getattr(self, "max_length", None) or 0) * 4 > USUAL_BYTES else USUAL_BYTES

    def gestures(self, live: ControlState) -> Iterator[tuple[str, str]]:
        if live._rule or seen(live, "read_only") is True:
            return
        if "type" in self.accepts and self.is_typable():
            yield "type", ""

    def part(self, live: ControlState, memo: Memo, formats: Formats) -> Part:
        if live._cells is not None or live._set is not None:
            return self.field(live, formats)
        # All is constant, so that forms share it.
        part = self.fields.get(formats)
        if part is None:
            part = self.fields[formats] = self.field(live, formats)
        return part

    def field(self, live: ControlState, formats: Formats) -> FieldPart:
        """Return the part of the view of a field."""
        pattern = getattr(self, "pattern", None)
        return FieldPart(
            holds=self.holds_a,
            placeholder=seen(live, "placeholder") or "",
            minimum=self._bound(live, "minimum", formats),
            maximum=self._bound(live, "maximum", formats),
            multi_line=self.constants["look"] == "multi-line",
            secret=self.constants["look"] == "password",
            max_length=getattr(self, "max_length", None),
            longest=self.longest(),
            decimals=getattr(self, "decimals", None),
            pattern=getattr(pattern, "pattern", ""),
            autocomplete=self.constants["autocomplete"],
            inputmode=self.constants["inputmode"],
            spellcheck=self.constants["spellcheck"],
            earliest=moment_of(seen(live, "minimum")),
            latest=moment_of(seen(live, "maximum")),
        )

    def _bound(self, live: ControlState, name: str, formats: Formats) -> str:
        limit = seen(live, name)
        return "" if limit is None or limit == "" else shown_as(self, limit, formats)

    def taken(self, text: str) -> str:
        """Return what of a typed or pasted text gets into the field: one line, without control characters."""
        return text if text.isprintable() else one_line(text)

    def settled(self, draft: str) -> str:
        """Return what of a draft is parsed."""
        return draft.strip()

    def parse(self, text: str, live: ControlState, formats: Formats) -> Value:
        """Convert settled text to a value; raise `Unparsable`."""
        raise NotImplementedError

    rule_words: ClassVar[tuple[str, ...]] = ("required",)

    def validate(self, live: ControlState, value: Value, formats: Formats) -> list[Finding]:
        """Return the findings of the declared rules for a value."""
        required = self.constants["required"] if live._cells is None and live._set is None else live._read("required")
        if required and (value == self.blank or value is False):
            return [Finding(user_text(formats, self.needed), "warn" if required == "warn" else "refuse", "required")]
        return []

    # ---- what the kind says of itself

    def details(self) -> Iterator[str]:
        default = self.constants.get("default")
        if isinstance(default, NthChoice | LastEntered):
            yield f"default {default!r}"
        yield from super().details()

    def sample(self, first_choice: str = "") -> str:
        """Return text that fits the rules, or "" if it can't be guessed. `first_choice`: an item that was offered."""
        for word in ("minimum", "maximum"):
            if self.constants.get(word) is not None:
                return plain_text(self.constants[word])
        return self.example

    def wrong(self, rule: str) -> tuple[str, str] | None:
        """Return a verb and a text that a declared rule refuses, or None if it can't be guessed."""
        if rule == "required":
            return "clear", ""
        limit = self.constants.get(rule)
        if rule in ("minimum", "maximum") and isinstance(limit, int | float | Decimal):
            return "type", plain_text(limit - 1 if rule == "minimum" else limit + 1)
        return None

    def schema(self, needed: bool) -> Plain:
        """Return the JSON Schema of the value. If it isn't `needed`, it may be null."""
        return {**self.json} if needed else {**self.json, "type": [self.json["type"], "null"]}


def moment_of(limit: object) -> str:
    """Return a date or time as in ISO 8601, and "" for any other limit."""
    return limit.isoformat() if isinstance(limit, date | time) else ""


def plain_text(value: object) -> str:
    """Return a number as people type it."""
    return f"{value:g}" if isinstance(value, float) else str(value)
