"""Lines: rows under a form, each with the controls of a group class.

A line's path ("extras#3") doesn't change when it moves. Its name goes by its place: `extras[0]` is the first.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import TYPE_CHECKING, Any, Generic, Literal, TypeVar, Unpack

from fuselatch.core.forms.control_options import ControlOptions
from fuselatch.core.forms.controls import Live
from fuselatch.core.forms.declarations import Declaration, Memo, Raises
from fuselatch.core.forms.groups import Group
from fuselatch.core.forms.inputs import MOST_BYTES
from fuselatch.core.forms.line_lists import LineList
from fuselatch.core.forms.live_state import AnyControl, ControlState, id_of, is_left_out, is_masked, is_seen
from fuselatch.core.forms.placing import values_of
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.json_text import Plain
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import Value, place_for, short
from fuselatch.core.model.view import ColumnView, LinesPart

L = TypeVar("L", bound=Group)


class LinesOptions(ControlOptions, total=False):
    """More options of lines: what happens to them with their record. `Lines` says what each is."""

    new_parent: Literal["refuse", "save_first", "together"]
    on_parent_remove: Literal["ask", "refuse", "cascade"]


NEW_PARENTS = ("refuse", "save_first", "together")
REMOVALS = ("ask", "refuse", "cascade")


class LiveLines(LineList[L], Generic[L]):
    """The lines of an open form: `for line in form.extras.rows`, `form.extras[0]`."""

    __slots__ = ()

    def add(self, **values: Any) -> L | None:
        """Add a line with these values; return it, or None if it was blocked or refused."""
        line: L | None = self._engine.add_line(self, values)
        return line

    def remove(self, line: L) -> bool:
        """Remove a line; return False if it was blocked."""
        return self._engine.remove_line(self, line)

    def move(self, line: L, to: int) -> None:
        """Move a line to a zero-based position."""
        self._engine.move_line(self, line, place_for(f"{self.name}.move(…)", to))


class LineDeclaration(Declaration[Live]):
    """The declaration of a line as a whole."""

    kind = "group"
    named = "a group"
    is_group = True
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
    has_lines = True
    live = LiveLines
    is_checked = True
    rule_words = ("min_items",)
    blank: tuple[Value, ...] = ()
    line_adding = Raises("line_adding")
    line_added = Raises("line_added")
    line_removing = Raises("line_removing")
    line_changed = Raises("line_changed")

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
        min_items: int = 0,
        max_items: int | None = None,
        **options: Unpack[LinesOptions],
    ) -> None:
        new_parent = options.pop("new_parent", "refuse")
        on_parent_remove = options.pop("on_parent_remove", "ask")
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

    def validate(self, live: AnyControl, value: tuple[Value, ...], formats: Formats) -> list[Finding]:
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

    # ---- in use

    def inner(self, live: AnyControl) -> Iterable[ControlState]:
        return (entry for line in live._rows for entry in live._members[line][1])

    def outcome(self, live: AnyControl) -> tuple[Plain, ...]:
        return () if is_left_out(live) else tuple([line_values(live, line) for line in live._rows])

    def masked_paths(self, live: AnyControl, path: str) -> Iterator[str]:
        for line in live._rows:
            yield from (f"{path}.{name}" for name, one in values_of(live, line).items() if is_masked(one))

    def hidden_state(self, live: AnyControl) -> Iterator[tuple[str, Value]]:
        if live._gone:
            yield "gone", live._gone

    def text_of(self, live: object, formats: Formats) -> str:
        return ""

    def part(self, live: AnyControl, memo: Memo, formats: Formats) -> LinesPart:
        enabled, count = is_seen(live, "enabled"), len(live._rows)
        columns = memo.part.columns if memo.part is not None else self.columns_of_lines()
        memo.part = LinesPart(
            columns=columns,
            lines=tuple([id_of(line.__dict__["_live"]) for line in live._rows]),
            can_add=enabled,
            can_remove=enabled and count > 0,
            can_move=enabled and count > 1,
            longest=MOST_BYTES,
        )
        part: LinesPart = memo.part
        return part

    def columns_of_lines(self) -> tuple[ColumnView, ...]:
        """Return the columns of the lines: the controls of one line."""
        return tuple(
            ColumnView(
                name=plan.path,
                caption=str(plan.decl.constants.get("caption", "")),
                kind=plan.decl.kind,
                holds=getattr(plan.decl, "holds_a", "text"),
            )
            for plan in self.line._plan.controls.values()
        )


def line_values(lines: LineList, line: object) -> Plain:
    """Return a line's values by path, for the outcome."""
    inside = values_of(lines, line)
    return {path: control._decl.outcome(control) for path, control in inside.items() if control._plan.holds_value}
