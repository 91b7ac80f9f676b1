"""Choices: controls that store one or more of the items that they offer."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import TYPE_CHECKING, Any, ClassVar, Generic, Literal, TypeAlias, TypeVar, Unpack, overload

from fuselatch.core.forms.catalogs import Catalog
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.control_options import EntryOptions, H, Needed
from fuselatch.core.forms.controls import LiveInput
from fuselatch.core.forms.declarations import Memo, Raises, Shape
from fuselatch.core.forms.deeds import Deed, Enter, Keys, Write
from fuselatch.core.forms.defaults import NthChoice
from fuselatch.core.forms.inputs import InputControl
from fuselatch.core.forms.live_state import ControlState, current, property_of, seen
from fuselatch.core.forms.plans import ControlPlan
from fuselatch.core.forms.port import EnginePort
from fuselatch.core.forms.rules import Rule
from fuselatch.core.kinds.list_keys import ALWAYS_OPEN, CLOSED, ENDS, OPEN, OPEN_FOR_SEVERAL, WITH_TEXT, pick_by_letter
from fuselatch.core.kinds.listing import (
    choice_part,
    few_texts,
    held_by,
    in_reach,
    items_at,
    offered,
    picked_texts,
    would_take,
)
from fuselatch.core.model.cells import UNSEEN
from fuselatch.core.model.choices import Choices, choices_of, fold_of, position_of_id
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.json_text import Plain
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.names import closest, first_few, suggest
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import Unparsable, Value, as_key, place_for, short, short_text
from fuselatch.core.model.view import ItemView, Part

T = TypeVar("T")
V = TypeVar("V")
G = TypeVar("G")
R = TypeVar("R")

Offer: TypeAlias = Iterable[T] | Rule[Iterable[T]] | Catalog[T]


class LiveChoice(LiveInput[R, G], Generic[T, R, G]):
    """A choice on an open form."""

    __slots__ = ("_offered",)

    def __init__(self, form: OpenForm, owner: Any, plan: ControlPlan, engine: EnginePort) -> None:
        super().__init__(form, owner, plan, engine)
        # What was found last: the value, the choices, what came with the record, and what the value reads as.
        self._offered: tuple[Any, Any, Any, Any] = (UNSEEN, None, None, None)

    def _current(self, prop: str) -> Value:
        if prop != "value":
            return super()._current(prop)
        held = property_of(self, prop)
        if held is None or held == () or held is self._kept:
            return held
        offered = property_of(self, "choices")
        value, choices, brought, reads = self._offered
        if value is not held or choices is not offered or brought is not self._brought:
            reads = self._read_as(held, offered)
            self._offered = held, offered, self._brought, reads
        return reads

    def _read_as(self, found: Any, offered: Choices) -> Value:
        """Return what a value reads as: one that is no longer offered as blank. It is cleared when the queue is empty."""
        decl = self._decl
        if decl.multiple:
            if found == self._brought:
                return tuple([offered.equal(item, item) for item in found])
            kept = tuple([item for item in found if item in offered])
            return found if len(kept) == len(found) else kept
        if found in offered or (decl.other and isinstance(found, str)):
            return found
        if found == self._brought:
            return offered.equal(found, found)
        default = decl.constants.get("default")
        if default is not None and hasattr(default, "among"):
            return default.among(offered)
        return offered.equal(default)

    @property
    def text(self) -> str:
        """The text in the field: the draft, or the chosen items."""
        if self._draft is not None:
            return self._draft
        return ", ".join(self.picked)

    @property
    def picked(self) -> tuple[str, ...]:
        """The chosen items' texts."""
        value = self._read("value")
        held = () if value is None else value if self._decl.multiple else (value,)
        return tuple([self.choices.text(item) for item in held])

    @property
    def position(self) -> int | None:
        """The zero-based position of the (first) chosen item, or None if blank."""
        value: Value = self.value
        held = () if value is None else value if self._decl.multiple else (value,)
        return self.choices.position(held[0]) if held else None

    @position.setter
    def position(self, at: int | None) -> None:
        choices = self.choices
        if at is not None:
            place_for(f"{type(self.form).__name__}.{self.name}.position", at)
        if at is not None and not 0 <= at < len(choices):
            raise ValueError(f"{type(self.form).__name__}.{self.name}: no position {at} in {len(choices)} choices")
        item = None if at is None else choices[at]
        self._engine.assign(self, (item,) if self._decl.multiple and item is not None else item)

    @property
    def choices(self) -> Choices[T]:
        """The choices, in order."""
        offered: Choices[T] = self._read("choices")
        return offered

    @choices.setter
    def choices(self, choices: Choices[T] | tuple[T, ...] | list[T]) -> None:
        self._engine.set_property(self, "choices", choices)


class Choice(InputControl[LiveChoice[T, V, G], V, G], Generic[T, V, G, H]):
    """A choice of one item, or of several with `multiple=True`.

    `choices`: items, (value, text) pairs, a mapping of value to text, an Enum, a `Catalog`, or a function of the form. Items
    are shown by `str()`. The value is the item itself, and becomes blank when it is no longer offered. With `multiple`, it
    is a tuple in list order. With `other=True` the user may type a text that isn't in the list and is asked if it should
    be added. Looks: drop-down, list, radio.
    """

    kind = "choice"
    named = "a choice"
    accepts = frozenset({"type", "pick"})
    enters = "pick"
    shape: ClassVar[Shape] = "choice"
    lists = True
    offers = True
    live = LiveChoice
    looks: ClassVar[tuple[str, ...]] = ("drop-down", "list", "radio")
    typed = Raises("typed")
    needed = "required.choice"

    @overload
    def __init__(
        self: Choice[T, T | None, T, T],
        caption: str | Rule[str] = "",
        *,
        choices: Sequence[tuple[T, str]],
        value: Rule[T | None] | Rule[T] | None = None,
        default: T | Rule[Any] | None = None,
        multiple: Literal[False] = False,
        other: bool = False,
        required: Literal[True],
        **options: Unpack[EntryOptions],
    ) -> None: ...
    @overload
    def __init__(
        self: Choice[T, T | None, T, T | None],
        caption: str | Rule[str] = "",
        *,
        choices: Sequence[tuple[T, str]],
        value: Rule[T | None] | Rule[T] | None = None,
        default: T | Rule[Any] | None = None,
        multiple: Literal[False] = False,
        other: bool = False,
        required: Needed = False,
        **options: Unpack[EntryOptions],
    ) -> None: ...
    @overload
    def __init__(
        self: Choice[T, T | None, T, T],
        caption: str | Rule[str] = "",
        *,
        choices: Offer[T],
        value: Rule[T | None] | Rule[T] | None = None,
        default: T | Rule[Any] | None = None,
        multiple: Literal[False] = False,
        other: bool = False,
        required: Literal[True],
        **options: Unpack[EntryOptions],
    ) -> None: ...
    @overload
    def __init__(
        self: Choice[T, T | None, T, T | None],
        caption: str | Rule[str] = "",
        *,
        choices: Offer[T],
        value: Rule[T | None] | Rule[T] | None = None,
        default: T | Rule[Any] | None = None,
        multiple: Literal[False] = False,
        other: bool = False,
        required: Needed = False,
        **options: Unpack[EntryOptions],
    ) -> None: ...
    @overload
    def __init__(
        self: Choice[T, tuple[T, ...], tuple[T, ...], tuple[T, ...]],
        caption: str | Rule[str] = "",
        *,
        choices: Sequence[tuple[T, str]],
        value: Rule[Iterable[T]] | None = None,
        default: Iterable[T] | Rule[Any] | None = None,
        multiple: Literal[True],
        required: Needed = False,
        **options: Unpack[EntryOptions],
    ) -> None: ...
    @overload
    def __init__(
        self: Choice[T, tuple[T, ...], tuple[T, ...], tuple[T, ...]],
        caption: str | Rule[str] = "",
        *,
        choices: Offer[T],
        value: Rule[Iterable[T]] | None = None,
        default: Iterable[T] | Rule[Any] | None = None,
        multiple: Literal[True],
        required: Needed = False,
        **options: Unpack[EntryOptions],
    ) -> None: ...
    def __init__(
        self,
        caption: str | Rule[str] = "",
        *,
        choices: Any,
        value: Value = None,
        default: Value = None,
        multiple: bool = False,
        other: bool = False,
        required: Any = False,
        **options: Unpack[EntryOptions],
    ) -> None:
        self.multiple = multiple
        self.other = other
        super().__init__(caption, {**options, "required": required}, value=value, default=default, choices=choices)
        look = self.constants.get("look", "")
        self.drops_down = self.drops(look)
        self.is_always_open = look in ("list", "radio") and not other
        where = f"Choice({caption!r})"
        if multiple and other:
            raise DeclarationError(f"{where}: other= and multiple= can't be combined")
        if "choices" in self.constants:
            if isinstance(choices, str | set | frozenset) or not isinstance(choices, Iterable):
                why = " (a set has no order)" if isinstance(choices, set | frozenset) else ""
                raise DeclarationError(f"{where}: choices must be a tuple or list, not {short(choices)}{why}")
            try:
                self.constants["choices"] = choices_of(choices)
            except ValueError as error:
                raise DeclarationError(f"{where}: {error}") from None

    # ---- in use

    drops_down: bool
    """True if one moves in its list without picking: it opens first, or several items can be picked."""
    is_always_open: bool
    """True if its items are always shown, and it has no text to type into: letters find items."""

    def drops(self, look: str) -> bool:
        """Return True if its list opens before one moves in it."""
        return self.multiple or look in ("", "drop-down")

    def is_typable(self) -> bool:
        return super().is_typable() and (self.drops_down or self.other)

    def keys(self, live: ControlState) -> Keys:
        if not self.drops_down:
            return WITH_TEXT if self.other else ALWAYS_OPEN
        if live._listing:
            return OPEN_FOR_SEVERAL if self.multiple else OPEN
        return CLOSED

    def taken_keys(self, live: ControlState) -> tuple[str, ...]:
        names = self.keys(live).names
        # In a text, these two are for the cursor.
        return tuple([name for name in names if name not in ENDS]) if self.other and not live._listing else names

    def written_by(self, key: str) -> str:
        return super().written_by(key) if self.is_typable() else ""

    def typed_in(self, live: ControlState, text: str) -> Iterable[Deed]:
        return (Write(text),) if self.drops_down or self.other else pick_by_letter(live, text)

    def before_tab(self, live: ControlState) -> Iterable[Deed]:
        item = would_take(live) if live._listing and not self.multiple else UNSEEN
        return () if item is UNSEEN else (Enter(item),)

    def items_meant(self, live: ControlState, gesture: Gesture) -> list[Value]:
        choices = offered(live)
        if not gesture.item:
            items: list[Value] = choices.find(gesture.text, fold_of(live._engine.formats))
            return items if len(items) == 1 else []
        at = position_of_id(choices, gesture.item)
        return [] if at is None else [choices[at]]

    def with_picked(self, live: ControlState, item: object) -> Value:
        """Return the value after an item is picked. With `multiple`, picking toggles it."""
        if not self.multiple:
            return item
        kept = {*current(live, "value")} ^ {item}
        return tuple(dict.fromkeys(item for item in offered(live) if item in kept))

    def unfit(self, live: ControlState, gesture: Gesture) -> str:
        verb, text = gesture.verb, gesture.text
        if verb == "type" and self.multiple:
            return "pick from the list; multiple choices can't be typed"
        if verb != "pick" and (verb != "double" or not (text or gesture.item)):
            return super().unfit(live, gesture)
        if gesture.item:
            position = position_of_id(offered(live), gesture.item)
            return "" if position is not None else f"no item '{gesture.item}' in the list"
        count = len(offered(live).find(text, fold_of(live._engine.formats)))
        if count > 1:
            # By its text alone it would be the first, which may be the wrong one.
            return f"{count} items read '{text}'; say which: pick {live.name} '{text}' at 2, or where COLUMN VALUE"
        return "" if count else f"'{text}' isn't one of the choices; {suggest(text, offered(live).shown())}"

    def gestures(self, live: ControlState) -> Iterator[tuple[str, str]]:
        if live._rule or seen(live, "read_only") is True:
            return
        yield from (("pick", text) for text in few_texts(seen(live, "choices")))
        yield from super().gestures(live)

    # ---- values

    def exact(self, live: ControlState, value: Value, where: str) -> Value:
        """Return what it is set to, in list order. Raises `ValueError` for an item that isn't offered."""
        choices = live._current("choices")
        for item in value if self.multiple else (value,):
            if item not in choices and not (self.other and isinstance(item, str)):
                equal = choices.equal(item)
                hint = f"write {short(equal)}" if equal is not None else suggest(str(item), choices.shown())
                raise ValueError(f"{where}: {short(item)} isn't one of the choices; {hint}")
        return tuple(sorted(value, key=choices.position)) if self.multiple else value

    def start(self, live: ControlState, default: object) -> Value:
        choices = live._current("choices")
        if isinstance(default, NthChoice):
            nth = default.among(choices)
            default = (nth,) if self.multiple and nth is not None else nth
        value: Value = self.coerce(default) if default is not None else None
        if value is None:
            return None
        # A default that isn't offered would be cleared at once, with an event that no one caused.
        items = [choices.equal(item, UNSEEN) for item in (value if self.multiple else (value,))]
        if UNSEEN in items:
            return UNSEEN
        return tuple(items) if self.multiple else items[0]

    def of_column(self, live: ControlState, value: Value) -> Value:
        """Return a value, or the values of a tuple, in the class that its list has."""
        offered, catalog = self.constants.get("choices"), self.rules.get("choices")
        if offered is not None:
            one = offered.equal
        elif isinstance(catalog, Catalog):
            one = catalog.converted
        else:
            # What a rule offers isn't known yet: the value is converted when it is read.
            return value
        return tuple([one(item, item) for item in value]) if self.multiple else one(value, value)

    def column_text(self, live: ControlState, value: object, formats: Formats) -> str:
        if self.multiple:
            return super().column_text(live, value, formats)
        choices: Choices = seen(live, "choices")
        return choices.text(self.of_column(live, value))

    def asks_to_add(self, live: ControlState, value: object) -> bool:
        return value is not None and value not in live._current("choices")

    def hidden_state(self, live: ControlState) -> Iterator[tuple[str, Value]]:
        if live._listing and live._at is not UNSEEN:
            yield "at", live._at
        if live._brought is not None:
            yield "brought", live._brought

    # ---- the view

    def text_of(self, live: ControlState, formats: Formats) -> str:
        return ", ".join(picked_texts(live))

    def part(self, live: ControlState, memo: Memo, formats: Formats) -> Part:
        reach, _, _ = in_reach(live, memo)
        return choice_part(
            live,
            reach,
            look=self.constants["look"] or "drop-down",
            placeholder=seen(live, "placeholder") or "",
            always_open=self.is_always_open,
            other=self.other,
            multiple=self.multiple,
            longest=self.longest(),
            takes_open=(OPEN_FOR_SEVERAL if self.multiple else OPEN).names if self.drops_down else (),
        )

    def items_between(self, live: ControlState, start: int, stop: int) -> tuple[tuple[ItemView, ...], Any]:
        choices: Choices = seen(live, "choices")
        return items_at(choices, range(*slice(start, stop).indices(len(choices))), held_by(live), {}), ()

    if TYPE_CHECKING:

        @property
        def handed_over(self) -> H:  # type: ignore[override]
            """The type of its value in an outcome, for type checkers: never None if it is always required."""

    def sample(self, first_choice: str = "") -> str:
        """Return the first item's text."""
        given = self.constants.get("choices")
        texts = given.shown(0, 1) if given else []
        return str(texts[0]) if texts else first_choice

    def schema(self, needed: bool) -> Plain:
        """Return the JSON Schema of the item, if all items are texts, numbers or booleans."""
        choices = self.constants.get("choices")
        if choices is not None and all(type(item) in (str, int, float, bool) for item in choices):
            return {"enum": [*choices] if needed else [*choices, None]}
        return {"not": {"type": "null"}} if needed else {}

    def has_rules(self) -> bool:
        return True

    def validate(self, live: ControlState, value: Value, formats: Formats) -> list[Finding]:
        """Return the findings of `required`, and a warning for a record's unknown item."""
        findings = super().validate(live, value, formats)
        if live._brought is not None and live._brought == value and not self.other:
            for item in value if self.multiple else (value,):
                if item not in offered(live):
                    findings.append(Finding(user_text(formats, "offered", text=short_text(str(item))), "warn", "offered"))
        return findings

    @property
    def blank(self) -> V:
        blank: Value = () if self.multiple else None
        return blank  # type: ignore[no-any-return]

    def coerce(self, value: object) -> object:
        """Return the item, or a tuple of items. `Changes.assign` checks if they are offered."""
        if not self.multiple:
            if self.other and isinstance(value, str):
                return value.strip() or None
            return value
        if value is None:
            return ()
        if isinstance(value, str) or not isinstance(value, Iterable):
            raise TypeError(f"expected a tuple or list of items, not {short(value)}")
        return tuple({as_key(item): item for item in reversed(tuple(value))}.values())[::-1]

    def parse(self, text: str, live: ControlState, formats: Formats) -> Value:
        """Return the one item with this text; with `multiple`, those with the texts between the commas."""
        if self.multiple:
            picked = {self._one(part.strip(), live, formats) for part in text.split(",")}
            return tuple([item for item in offered(live) if item in picked])
        return self._one(text, live, formats)

    def _one(self, text: str, live: ControlState, formats: Formats) -> Value:
        """Return the one item with this text."""
        items: list[T] = offered(live).find(text, fold_of(formats))
        if len(items) == 1:
            return items[0]
        if items:
            raise Unparsable(user_text(formats, "choice.several", text=short_text(text), count=len(items)))
        if self.other:
            return text
        shown = offered(live).shown()
        close = closest(text, shown)
        which = "close" if close is not None else "listed" if shown else "empty"
        facts = {"text": short_text(text), "close": close, "choices": first_few(shown)}
        raise Unparsable(user_text(formats, f"choice.{which}", **facts))
