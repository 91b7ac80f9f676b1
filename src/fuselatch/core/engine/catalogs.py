"""Indexes of record sources, for choices: one for each version of a source, shared by all forms of the session."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Sequence
from typing import TYPE_CHECKING, Any

from fuselatch.core.engine.nodes import EngineNode
from fuselatch.core.forms.catalogs import Catalog
from fuselatch.core.model.choices import Choices
from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.names import suggest

if TYPE_CHECKING:
    from fuselatch.core.engine.engine import Engine

NONE: Choices[Any] = Choices()


class Index:
    """The rows of a source by the columns of a catalog; a list becomes choices when it is first asked for."""

    __slots__ = ("groups", "made", "version")

    def __init__(self, catalog: Catalog[Any], rows: Any, version: Hashable) -> None:
        self.version = version
        self.made: dict[Any, Choices[Any]] = {}
        held = column(rows, catalog.store, catalog)
        texts = held if catalog.show == catalog.store else column(rows, catalog.show, catalog)
        self.groups: dict[Any, tuple[list[Any], list[Any]]] = {}
        if not catalog.inputs:
            self.groups[()] = held, texts
            return
        keys = [column(rows, name, catalog) for name in catalog.by]
        gathered: dict[Any, list[Any]] = defaultdict(list)
        shown: dict[Any, list[Any]] = gathered if texts is held else defaultdict(list)
        for key, one in zip(zip(*keys, strict=True), held, strict=True):
            gathered[key].append(one)
        if texts is not held:
            for key, one in zip(zip(*keys, strict=True), texts, strict=True):
                shown[key].append(one)
        self.groups = {key: (found, shown[key]) for key, found in gathered.items()}

    def choices(self, key: tuple[Any, ...]) -> Choices[Any]:
        """The choices of the rows with these values in the columns."""
        made = self.made.get(key)
        if made is None:
            held, texts = self.groups.get(key, ((), ()))
            made = self.made[key] = distinct(held, texts) if held else NONE
        return made


def distinct(held: Sequence[Any], texts: Sequence[Any]) -> Choices[Any]:
    """Choices without gaps; of those that hold the same the first counts."""
    if texts is held:
        return Choices(tuple(dict.fromkeys(one for one in held if one is not None and one != "")))
    found: dict[Any, str] = {}
    for one, text in zip(held, texts, strict=True):
        if one is not None and one != "" and text is not None and text != "":
            found.setdefault(one, str(text))
    return Choices(tuple(found), list(found.values()))


def column(rows: Any, name: str, catalog: Catalog[Any]) -> list[Any]:
    """One column of rows, or of a data frame, which gives its columns by name as lists."""
    if hasattr(rows, "columns") and name in rows.columns:
        found = rows[name]
        return [None if one != one else one for one in found.tolist()]
    try:
        return [row[name] for row in rows]
    except (KeyError, TypeError):
        known = list(rows.columns) if hasattr(rows, "columns") else list(next(iter(rows), {}))
        raise UnknownName(f"'{catalog.source}' has no column '{name}': {suggest(name, map(str, known))}") from None


class CatalogNode(EngineNode):
    """The versions of sources that catalogs read, and their indexes."""

    __slots__ = ("indexes",)

    def __init__(self, engine: Engine, name: str) -> None:
        super().__init__(engine, name)
        self.indexes: dict[tuple[str, str, str, tuple[str, ...]], Index] = {}

    def _current(self, prop: Any) -> Hashable:
        return self.engine.store_version(prop)

    def choices(self, catalog: Catalog[Any], values: tuple[Any, ...]) -> Choices[Any]:
        """What a catalog offers for the values of its controls; noted where a rule is reading it."""
        version = self.read(catalog.source)
        if None in values or "" in values:
            return NONE
        place = (catalog.source, catalog.show, catalog.store, catalog.by)
        index = self.indexes.get(place)
        if index is None or index.version != version:
            index = self.indexes[place] = Index(catalog, self.engine.store_frame(catalog.source), version)
        return index.choices(values)
