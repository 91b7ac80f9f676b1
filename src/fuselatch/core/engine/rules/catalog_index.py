"""Indexes of record sources for choices, one per version and shared by all forms."""

from __future__ import annotations

from array import array
from collections import defaultdict
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from itertools import product
from typing import Any, Final, TypeAlias

from fuselatch.core.engine.rules.rows import frame_of, staged_for, version_of, with_staged
from fuselatch.core.engine.state.session_node import SessionNode
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.forms.catalogs import Catalog
from fuselatch.core.forms.live_state import AnyControl
from fuselatch.core.model.choices import Choices, fold_of
from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.names import suggest
from fuselatch.core.model.typing_ahead import folded
from fuselatch.core.model.values import Value, same, short

NONE: Choices[object] = Choices()
MOST_MADE: Final = 1000
"""How many lists of one index are kept."""
Tests: TypeAlias = tuple[tuple[str, str, object], ...]
"""Conditions besides those of the groups: kind, column and value."""


class Index:
    """The rows of a source, grouped by a catalog's columns. Lists are built on first use."""

    __slots__ = ("catalog", "columns", "fold", "folded", "groups", "made", "rows", "sort_key", "version")

    def __init__(
        self, catalog: Catalog[object], rows: object, version: Hashable, equal: Sequence[str], formats: object
    ) -> None:
        self.fold = fold_of(formats)
        self.sort_key: Callable[[str], object] = getattr(formats, "sort_key", plain_key)
        self.version = version
        self.catalog = catalog
        self.rows = rows
        self.columns: dict[str, list[object]] = {}
        self.folded: dict[str, list[str]] = {}
        self.made: dict[object, Choices[object]] = {}
        # The positions of each group's rows, or None for all rows.
        self.groups: dict[object, Sequence[int] | None] | None = None
        if equal:
            gathered: dict[object, Any] = defaultdict(lambda: array("I"))
            for at, key in enumerate(zip(*[column(rows, name, catalog) for name in equal], strict=True)):
                gathered[key].append(at)
            # Positions, not rows: for a million rows the index stays small, and lists share the columns.
            self.groups = dict(gathered)

    def column(self, name: str) -> list[Value]:
        values = self.columns.get(name)
        if values is None:
            values = column(self.rows, name, self.catalog)
            if name == self.catalog.value and self.catalog.value_type is not None:
                values = [self.catalog.converted(one, one) for one in values]
            self.columns[name] = values
        return values

    def folded_column(self, name: str) -> list[str]:
        """Return a column's texts without case and accents."""
        texts = self.folded.get(name)
        if texts is None:
            texts = self.folded[name] = ["" if one is None else self.fold(str(one)) for one in self.column(name)]
        return texts

    def choices(self, key: tuple[object, ...], tests: Tests, sort: str, descending: bool, whole: bool) -> Choices[object]:
        """Return the choices for these values, sorted by a column, or unsorted if `sort` is ""."""
        wanted = key, tests, sort, descending, whole
        made = self.made.get(wanted)
        if made is None:
            if len(self.made) > MOST_MADE:
                # What is searched for differs at each search.
                self.made.clear()
            made = self.made[wanted] = self._make(key, tests, sort, descending, whole)
        return made

    def _places(self, key: tuple[object, ...], tests: Tests) -> Sequence[int]:
        """Return the positions of the rows that have these values and pass the tests."""
        places: Sequence[int] = range(len(self.column(self.catalog.value)))
        if self.groups is not None:
            several = [one if isinstance(one, tuple) else (one,) for one in key]
            groups = [self.groups.get(each) or () for each in product(*several)]
            places = groups[0] if len(groups) == 1 else sorted(at for group in groups for at in group)
        for kind, name, value in tests:
            if kind in ("begins", "contains"):
                texts, part = self.folded_column(name), self.fold(str(value))
                begins = kind == "begins"
                places = [at for at in places if (texts[at].startswith(part) if begins else part in texts[at])]
            else:
                values = self.column(name)
                there = [at for at in places if values[at] is not None and values[at] != ""]
                if kind == "is":
                    places = [at for at in there if values[at] == value]
                else:
                    places = [at for at in there if (values[at] >= value if kind == "from" else values[at] <= value)]
        return places

    def _make(self, key: tuple[object, ...], tests: Tests, sort: str, descending: bool, whole: bool) -> Choices[object]:
        held, shown = self.column(self.catalog.value), self.column(self.catalog.text)
        places = self._places(key, tests)
        if not places:
            return NONE
        if sort:
            places = sorted_places(places, self.column(sort), descending, self.sort_key)
        if not whole:
            if self.groups is None and not sort and not tests:
                return distinct(held, shown)
            some = [held[at] for at in places]
            return distinct(some, some if shown is held else [shown[at] for at in places])
        first = {held[at]: at for at in reversed(places) if held[at] is not None and held[at] != ""}
        kept = [at for at in places if first.get(held[at]) == at]
        rows = self.rows

        def row(at: int) -> Any:
            return row_at(rows, kept[at])

        return Choices(tuple([held[at] for at in kept]), [str(shown[at]) for at in kept], row)


def sorted_places(
    places: Sequence[int], values: Sequence[Value], descending: bool, sort_key: Callable[[str], Any]
) -> list[int]:
    """Return row positions sorted by a column: texts by `sort_key`, blanks last, equal rows in source order."""
    given = [at for at in places if values[at] is not None and values[at] != ""]
    kinds = {type(values[at]) for at in given}
    try:
        if kinds == {str}:
            keys = {text: sort_key(text) for text in {values[at] for at in given}}
            given.sort(key=lambda at: keys[values[at]], reverse=descending)
        else:
            given.sort(key=values.__getitem__, reverse=descending)
    except TypeError:
        # Values of different types can't be compared, so their texts are.
        given.sort(key=lambda at: str(values[at]), reverse=descending)
    return given + [at for at in places if values[at] is None or values[at] == ""]


def row_at(rows: Any, at: int) -> Any:
    """Return one row of a sequence or a data frame."""
    if hasattr(rows, "columns"):
        row = rows.iloc[at : at + 1].to_dict("records")[0]
        return {str(name): None if value != value else value for name, value in row.items()}
    return rows[at]


def distinct(held: Sequence[object], texts: Sequence[object]) -> Choices[object]:
    """Return choices without blanks. If two rows have the same value, the first is used."""
    if texts is held:
        return Choices(tuple(dict.fromkeys(one for one in held if one is not None and one != "")))
    values: dict[object, str] = {}
    for one, text in zip(held, texts, strict=True):
        if one is not None and one != "" and text is not None and text != "":
            values.setdefault(one, str(text))
    return Choices(tuple(values), list(values.values()))


def column(rows: Any, name: str, catalog: Catalog[Any]) -> list[object]:
    """Return one column of a sequence of rows or a data frame."""
    if hasattr(rows, "columns") and name in rows.columns:
        values = rows[name]
        # Only NaN differs from itself: a data frame's blank.
        return [None if one != one else one for one in values.tolist()]
    try:
        return [row[name] for row in rows]
    except (KeyError, TypeError):
        known = list(rows.columns) if hasattr(rows, "columns") else list(next(iter(rows), {}))
        raise UnknownName(f"'{catalog.source}' has no column '{name}'; {suggest(name, map(str, known))}") from None


class CatalogNode(SessionNode):
    """The versions of the sources that catalogs read."""

    __slots__ = ()

    def _current(self, prop: str) -> Hashable:
        staged = staged_for(self.session, prop)
        return (version_of(self.session, prop), *map(id, staged)) if staged else version_of(self.session, prop)


def catalog_choices(
    session: SessionState, catalog: Catalog[object], values: tuple[object, ...], sort: tuple[str, bool] | None = None
) -> Choices[object]:
    """Return what a catalog offers for its controls' values. A table passes its `sort`."""
    version = session.catalogs.read(catalog.source) if catalog.frame is None else None
    equal = catalog._equal
    given = dict(zip(equal, values, strict=False))
    blank = [name for name, value in given.items() if is_blank(value)]
    if blank and not catalog.blank_is_all:
        return NONE
    equal = tuple([name for name in equal if name not in blank])
    others = zip(catalog.tests, values[len(given) :], strict=True)
    tests: Tests = tuple([(kind, name, value) for (kind, name), value in others if not is_blank(value)])
    tests = (*[("is", name, value) for name, value in catalog.fixed], *tests)
    source = catalog.source if catalog.frame is None else id(catalog.frame)
    place = (source, catalog.text, catalog.value, catalog.value_type, equal)
    index = session.indexes.get(place)
    if index is None or index.version != version:
        # What the turn has staged is offered before it is written, so that a loop is found before anything is.
        staged = staged_for(session, catalog.source) if catalog.frame is None else []
        rows = catalog.frame
        if rows is None:
            rows = (
                with_staged(session, catalog.source, staged, new_keys=True) if staged else frame_of(session, catalog.source)
            )
        index = session.indexes[place] = Index(catalog, rows, version, equal, session.formats)
    column, descending = sort if sort is not None else (catalog.sort, False)
    key = tuple([given[name] for name in equal])
    choices: Choices[object] = index.choices(key, tests, column, descending, sort is not None)
    return choices


def made_choices(session: SessionState, table: AnyControl, rule: Callable[[Any], object]) -> Callable[[], object]:
    """Return a function that computes a table's choices from the rows that the developer's function returns."""
    index: Index | None = None

    def run() -> object:
        nonlocal index
        rows = as_rows(rule(table._owner))
        # For equal rows nothing is made again, so that a table that doesn't differ isn't drawn again.
        if index is None or not are_same_rows(rows, index.rows):
            index = Index(table._decl.made, rows, None, (), session.formats)
        column, descending = table._read_sort()
        return index.choices((), (), column, descending, True)

    return run


def as_rows(given: Any) -> object:
    """Return rows as they are now: a data frame, or mappings."""
    if hasattr(given, "iloc"):
        return given
    rows = [*given] if isinstance(given, Iterable) and not isinstance(given, str | Mapping) else [given]
    wrong = next((row for row in rows if not isinstance(row, Mapping)), None)
    if wrong is not None or isinstance(given, Mapping):
        raise TypeError(
            f"rows must be mappings of column to value, or a data frame, not {short(given if wrong is None else wrong)}"
        )
    return [dict(row) for row in rows]


def are_same_rows(rows: object, others: object) -> bool:
    """Return True if two lists of rows are the same, value by value."""
    if not isinstance(rows, list) or not isinstance(others, list) or len(rows) != len(others):
        return False
    return all(same(tuple(row.items()), tuple(other.items())) for row, other in zip(rows, others, strict=True))


def is_blank(value: object) -> bool:
    """Return True if a control has no value that narrows a list."""
    return value is None or value == "" or value == ()


def plain_key(text: str) -> tuple[str, str]:
    """Return a text's key for sorting where formats have none: without case and accents, then as it is."""
    return folded(text), text
