"""Lines: rows under a form, each with the controls of a group class.

A line's path ("extras#3") doesn't change when it moves. Its name goes by its place: `extras[0]` is the first.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, Any, Generic, Literal, TypeVar, Unpack

from fuselatch.core.forms.controls import Live
from fuselatch.core.forms.declarations import ControlOptions, Declaration, Source
from fuselatch.core.forms.groups import Group
from fuselatch.core.forms.live_lists import LiveLines
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import short

L = TypeVar("L", bound=Group)

NEW_PARENTS = ("refuse", "save_first", "together")
REMOVALS = ("ask", "refuse", "cascade")


class LineDeclaration(Declaration[Live]):
    """The declaration of a line as a whole."""

    kind = "group"
    named = "a group"
    accepts = frozenset({"remove_line", "move_line"})
    live = Live


class Lines(Declaration[LiveLines[L]], Generic[L]):
    """Rows under a form: `extras = Lines(ExtraLine, "Extras", records="extras", key="booking")`.

    `line`: a `Group` class with the controls, checks and handlers of each line. `records`: the source that stores the lines;
    `key`: its column with the record's key; `order`: its column with the line's place. Without `records`, the outcome has
    the lines as a tuple of mappings.

    `new_parent`: what to do with a line under a record that isn't saved: "refuse", "save_first", or "together"
    (the record and its lines are written in one transaction). `min_items`, `max_items`: how many lines there may be.
    `@check(extras)` on a method of the form checks them together.
    `on_parent_remove`: what happens to the lines when the record is removed: "ask", "refuse" or "cascade".
    """

    kind = "lines"
    named = "a list of lines"
    accepts = frozenset({"add_line"})
    shape = "lines"
    lists = True
    live = LiveLines
    is_checked = True
    rule_words = ("min_items",)
    blank: tuple[Any, ...] = ()
    line_adding = Source("line_adding")
    line_added = Source("line_added")
    line_removing = Source("line_removing")
    line_changed = Source("line_changed")

    if TYPE_CHECKING:

        @property
        def handed_over(self) -> tuple[Mapping[str, Any], ...]:
            """The type of its value in an outcome, for type checkers: each line's values by name."""

    def __init__(
        self,
        line: type[L],
        caption: str = "",
        *,
        records: str = "",
        key: str = "",
        order: str = "",
        new_parent: Literal["refuse", "save_first", "together"] = "refuse",
        on_parent_remove: Literal["ask", "refuse", "cascade"] = "ask",
        min_items: int = 0,
        max_items: int | None = None,
        **options: Unpack[ControlOptions],
    ) -> None:
        super().__init__(caption, options)
        where = f"Lines({getattr(line, '__name__', line)!s}, …)"
        if not (isinstance(line, type) and issubclass(line, Group) and line is not Group):
            raise DeclarationError(f"Lines(…): expected a class derived from Group, not {short(line)}")
        if bool(records) != bool(key) or (order and not records):
            raise DeclarationError(f"{where}: records= needs key=, the column with the record's key")
        for name, given, allowed in (
            ("new_parent", new_parent, NEW_PARENTS),
            ("on_parent_remove", on_parent_remove, REMOVALS),
        ):
            if given not in allowed:
                raise DeclarationError(f"{where}: {name} must be {' or '.join(map(repr, allowed))}, not {short(given)}")
        for name, count in (("min_items", min_items), ("max_items", max_items)):
            if count is not None and (type(count) is not int or count < 0):
                raise DeclarationError(f"{where}: {name} must be a whole number from 0, not {short(count)}")
        if max_items is not None and min_items > max_items:
            raise DeclarationError(f"{where}: min_items {min_items} is more than max_items {max_items}")
        inner = line._plan
        if inner.heard:
            raise DeclarationError(f"{where}: a line can't handle {', '.join(inner.heard)}; handle it on the form")
        if any(isinstance(placed.decl, Lines) for placed in inner.controls.values()):
            raise DeclarationError(f"{where}: lines can't contain lines; give them their own form")
        self.constants["while_typing"] = False
        self.line = line
        self.records = records
        self.key = key
        self.order = order
        self.min_items = min_items
        self.max_items = max_items
        self.new_parent = new_parent
        self.on_parent_remove = on_parent_remove
        self.whole = LineDeclaration("", {})

    def validate(self, live: Any, value: tuple[Any, ...], formats: Formats) -> list[Finding]:
        """Return the findings of the declared rules for the lines."""
        if len(value) >= self.min_items:
            return []
        return [Finding(user_text(formats, "lines.least", least=self.min_items), rule="min_items")]

    def details(self) -> Iterator[str]:
        yield f"lines of {self.line.__name__}"
        if self.records:
            yield f"records {self.records}, key {self.key}"
            yield f"new record: {self.new_parent}; on removal: {self.on_parent_remove}"
        yield from super().details()
