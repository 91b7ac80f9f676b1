"""The control that holds one, or several, of its choices."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any, ClassVar, Generic, Literal, TypeAlias, TypeVar, Unpack, overload

from fuselatch.core.forms.catalogs import Catalog
from fuselatch.core.forms.declarations import Entry, EntryOptions, Source
from fuselatch.core.forms.live_lists import LiveChoice
from fuselatch.core.forms.rules import Rule
from fuselatch.core.model.choices import choices_of
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.formats import Formats
from fuselatch.core.model.names import closest, first_few
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import Unparsable, short, short_text

T = TypeVar("T")
V = TypeVar("V")
G = TypeVar("G")

Offer: TypeAlias = Iterable[T] | Rule[Iterable[T]] | Catalog[T]


class Choice(Entry[LiveChoice[T, V, G], V, G], Generic[T, V, G]):
    """One of several `choices`: items, or a function of the form that gives them.

    Items are shown by `str()`; pairs are what is held and what is shown, as are the entries of a
    mapping; an Enum is its members; a `Catalog` takes them from records. It holds the item itself, which
    reads as blank as soon as it is no longer offered. With `multiple=True` it holds a tuple of items, in the
    order of the choices, and picking one that is held takes it away. With `other=True` a text that is not
    offered may be typed, too, and the person is asked whether it is to be added to the list. Looks:
    drop-down, list, radio.
    """

    kind = "choice"
    live = LiveChoice
    looks: ClassVar[tuple[str, ...]] = ("drop-down", "list", "radio")
    typed = Source("typed")
    needed = "required.choice"

    @overload
    def __init__(
        self: Choice[T, T | None, T],
        caption: str | Rule[str] = "",
        *,
        choices: Sequence[tuple[T, str]],
        value: Rule[T | None] | Rule[T] | None = None,
        default: T | Rule[T] | None = None,
        multiple: Literal[False] = False,
        other: bool = False,
        **options: Unpack[EntryOptions],
    ) -> None: ...
    @overload
    def __init__(
        self: Choice[T, T | None, T],
        caption: str | Rule[str] = "",
        *,
        choices: Offer[T],
        value: Rule[T | None] | Rule[T] | None = None,
        default: T | Rule[T] | None = None,
        multiple: Literal[False] = False,
        other: bool = False,
        **options: Unpack[EntryOptions],
    ) -> None: ...
    @overload
    def __init__(
        self: Choice[T, tuple[T, ...], tuple[T, ...]],
        caption: str | Rule[str] = "",
        *,
        choices: Sequence[tuple[T, str]],
        value: Rule[Iterable[T]] | None = None,
        default: Iterable[T] | Rule[Iterable[T]] | None = None,
        multiple: Literal[True],
        **options: Unpack[EntryOptions],
    ) -> None: ...
    @overload
    def __init__(
        self: Choice[T, tuple[T, ...], tuple[T, ...]],
        caption: str | Rule[str] = "",
        *,
        choices: Offer[T],
        value: Rule[Iterable[T]] | None = None,
        default: Iterable[T] | Rule[Iterable[T]] | None = None,
        multiple: Literal[True],
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
        **options: Unpack[EntryOptions],
    ) -> None:
        self.multiple = multiple
        self.other = other
        super().__init__(caption, options, value=value, default=default, choices=choices)
        where = f"Choice({caption!r})"
        if multiple and other:
            raise DeclarationError(f"{where}: other= and multiple= can't be combined")
        if "choices" in self.constants:
            if isinstance(choices, str) or not isinstance(choices, Iterable):
                raise DeclarationError(f"{where}: choices must be a tuple or list, not {choices!r}")
            self.constants["choices"] = choices_of(choices)

    def has_rules(self) -> bool:
        """A record may bring what is not offered, about which there is something to say."""
        return True

    def judge(self, live: Any, value: Any, formats: Formats) -> list[Finding]:
        """`required`, and what a record brought that is not offered."""
        found = super().judge(live, value, formats)
        if live._brought is not None and live._brought == value and not self.other:
            for item in value if self.multiple else (value,):
                if item not in live.choices:
                    found.append(Finding(user_text("offered", text=short_text(str(item))), "warn", "offered"))
        return found

    @property
    def blank(self) -> V:
        """None; of one that holds several, no items."""
        blank: Any = () if self.multiple else None
        return blank  # type: ignore[no-any-return]

    def coerce(self, value: object) -> object:
        """The item itself, or a tuple of items: whether they are offered is seen when they are set."""
        if not self.multiple:
            if self.other and isinstance(value, str):
                return value.strip() or None
            return value
        if value is None:
            return ()
        if isinstance(value, str) or not isinstance(value, Iterable):
            raise TypeError(f"expected a tuple or list of items, not {short(value)}")
        return tuple(dict.fromkeys(value))

    def parse(self, text: str, live: Any, formats: Formats) -> Any:
        """The one item with this text."""
        found: list[T] = live.choices.find(text)
        if len(found) == 1:
            return found[0]
        if found:
            raise Unparsable(user_text("choice.several", text=short_text(text), count=len(found)))
        if self.other:
            return text
        shown = live.choices.shown()
        close = closest(text, shown)
        which = "close" if close is not None else "listed" if shown else "empty"
        facts = {"text": short_text(text), "close": close, "choices": first_few(shown)}
        raise Unparsable(user_text(f"choice.{which}", **facts))
