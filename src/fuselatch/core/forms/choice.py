"""The control that stores one or more of its choices."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, Any, ClassVar, Generic, Literal, TypeAlias, TypeVar, Unpack, overload

from fuselatch.core.forms.catalogs import Catalog
from fuselatch.core.forms.declarations import EntryOptions, H, InputControl, Needed, Shape, Source
from fuselatch.core.forms.live_lists import LiveChoice
from fuselatch.core.forms.rules import Rule
from fuselatch.core.model.choices import choices_of, fold_of
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.names import closest, first_few
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import Unparsable, as_key, short, short_text

T = TypeVar("T")
V = TypeVar("V")
G = TypeVar("G")

Offer: TypeAlias = Iterable[T] | Rule[Iterable[T]] | Catalog[T]


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
    live = LiveChoice
    looks: ClassVar[tuple[str, ...]] = ("drop-down", "list", "radio")
    typed = Source("typed")
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
        value: Any = None,
        default: Any = None,
        multiple: bool = False,
        other: bool = False,
        required: Any = False,
        **options: Unpack[EntryOptions],
    ) -> None:
        self.multiple = multiple
        self.other = other
        super().__init__(caption, {**options, "required": required}, value=value, default=default, choices=choices)
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

    if TYPE_CHECKING:

        @property
        def handed_over(self) -> H:  # type: ignore[override]
            """The type of its value in an outcome, for type checkers: never None if it is always required."""

    def sample(self, first_choice: str = "") -> str:
        """Return the first item's text."""
        given = self.constants.get("choices")
        texts = given.shown(0, 1) if given else []
        return str(texts[0]) if texts else first_choice

    def schema(self, needed: bool) -> dict[str, Any]:
        """Return the JSON Schema of the item, if all items are texts, numbers or booleans."""
        choices = self.constants.get("choices")
        if choices is not None and all(type(item) in (str, int, float, bool) for item in choices):
            return {"enum": [*choices] if needed else [*choices, None]}
        return {"not": {"type": "null"}} if needed else {}

    def has_rules(self) -> bool:
        return True

    def validate(self, live: Any, value: Any, formats: Formats) -> list[Finding]:
        """Return the findings of `required`, and a warning for a record's unknown item."""
        found = super().validate(live, value, formats)
        if live._brought is not None and live._brought == value and not self.other:
            for item in value if self.multiple else (value,):
                if item not in live.choices:
                    found.append(Finding(user_text(formats, "offered", text=short_text(str(item))), "warn", "offered"))
        return found

    @property
    def blank(self) -> V:
        blank: Any = () if self.multiple else None
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

    def parse(self, text: str, live: Any, formats: Formats) -> Any:
        """Return the one item with this text."""
        found: list[T] = live.choices.find(text, fold_of(formats))
        if len(found) == 1:
            return found[0]
        if found:
            raise Unparsable(user_text(formats, "choice.several", text=short_text(text), count=len(found)))
        if self.other:
            return text
        shown = live.choices.shown()
        close = closest(text, shown)
        which = "close" if close is not None else "listed" if shown else "empty"
        facts = {"text": short_text(text), "close": close, "choices": first_few(shown)}
        raise Unparsable(user_text(formats, f"choice.{which}", **facts))
