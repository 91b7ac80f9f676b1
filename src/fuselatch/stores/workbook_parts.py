"""The parts of a workbook's file (Office Open XML, ECMA-376), changed in place: what isn't written keeps each byte.

A workbook is a zip archive of XML parts. Reading one as a whole and writing it again loses what the reader doesn't know, so
here only the cells that a gesture writes are changed in their sheets.
"""

from __future__ import annotations

import io
import posixpath
import re
import zipfile
from collections.abc import Iterator, Mapping
from copy import deepcopy
from datetime import date, datetime, time
from decimal import Decimal
from typing import Any, Final

from lxml import etree
from openpyxl.formula.translate import Translator
from openpyxl.utils import column_index_from_string, get_column_letter
from openpyxl.utils.datetime import MAC_EPOCH, WINDOWS_EPOCH, to_excel

MAIN: Final = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
LINKS: Final = "http://schemas.openxmlformats.org/package/2006/relationships"
ID: Final = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}id"
SPACE: Final = "{http://www.w3.org/XML/1998/namespace}space"
BUILT_IN: Final[Mapping[type, str]] = {date: "14", time: "21", datetime: "22"}
"""The numbers of the built-in formats for a day, a time of day, and both (ECMA-376, 18.8.30)."""
BEFORE_CALC: Final = (
    "fileVersion", "fileSharing", "workbookPr", "workbookProtection", "bookViews", "sheets", "functionGroups",
    "externalReferences", "definedNames",
)  # fmt: skip
"""The elements of a workbook that stand before `calcPr` (18.2.27)."""


def tag(name: str) -> str:
    return f"{{{MAIN}}}{name}"


class Parts:
    """The parts of one file. `sheet` gives a sheet that can be changed, `packed` the file with all changes."""

    def __init__(self, data: bytes) -> None:
        self.archive = zipfile.ZipFile(io.BytesIO(data))
        self.trees: dict[str, Any] = {}
        # The parts that have changed: all others are copied.
        self.changed: set[str] = set()
        self.book_path = next(path for kind, path in self.links("") if kind.endswith("/officeDocument"))
        self.book = self.tree(self.book_path)
        self.sheets: dict[str, Sheet] = {}

    def tree(self, path: str) -> Any:
        """Return a part's root element."""
        if path not in self.trees:
            parser = etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=True)
            self.trees[path] = etree.fromstring(self.archive.read(path), parser)
        return self.trees[path]

    def links(self, path: str) -> Iterator[tuple[str, str]]:
        """Yield the kind and path of each part that a part refers to."""
        for kind, where, _ in self.named_links(path):
            yield kind, where

    def named_links(self, path: str) -> Iterator[tuple[str, str, str]]:
        folder, name = posixpath.split(path)
        listed = posixpath.join(folder, "_rels", f"{name}.rels")
        if listed not in self.archive.namelist():
            return
        for link in self.tree(listed).iter(f"{{{LINKS}}}Relationship"):
            where = link.get("Target")
            yield (
                link.get("Type"),
                where.lstrip("/") if where.startswith("/") else posixpath.normpath(posixpath.join(folder, where)),
                link.get("Id"),
            )

    def sheet(self, name: str) -> Sheet:
        """Return a sheet by name."""
        if name not in self.sheets:
            paths = {link: path for _, path, link in self.named_links(self.book_path)}
            entry = next(each for each in self.book.iter(tag("sheet")) if each.get("name") == name)
            self.sheets[name] = Sheet(self, paths[entry.get(ID)])
        return self.sheets[name]

    @property
    def epoch(self) -> datetime:
        """The day from which the workbook counts."""
        settings = self.book.find(tag("workbookPr"))
        return MAC_EPOCH if settings is not None and settings.get("date1904") in ("1", "true") else WINDOWS_EPOCH

    def style(self, base: str, **wanted: str) -> str:
        """Return the number of a style like another, but with these attributes."""
        path = next(path for kind, path in self.links(self.book_path) if kind.endswith("/styles"))
        styles = self.tree(path).find(tag("cellXfs"))
        made = deepcopy(styles[int(base)])
        for name, value in wanted.items():
            made.set(name, value)
        for at, each in enumerate(styles):
            if etree.tostring(each, method="c14n") == etree.tostring(made, method="c14n"):
                return str(at)
        self.changed.add(path)
        styles.append(made)
        styles.set("count", str(len(styles)))
        return str(len(styles) - 1)

    def recalculate(self) -> None:
        """Let the next program that opens the workbook calculate it again: calculated values stay until then."""
        self.changed.add(self.book_path)
        settings = self.book.find(tag("calcPr"))
        if settings is None:
            settings = etree.Element(tag("calcPr"))
            before = [each for each in self.book if etree.QName(each).localname in BEFORE_CALC]
            before[-1].addnext(settings)
        settings.set("fullCalcOnLoad", "1")

    def forget_calculation(self, removed: set[tuple[str, str]]) -> None:
        """Take cells without a formula from the chain of calculation: sheet number and cell."""
        path = next((path for kind, path in self.links(self.book_path) if kind.endswith("/calcChain")), None)
        if path is None or not removed:
            return
        self.changed.add(path)
        sheet = ""
        for cell in list(self.tree(path)):
            sheet = cell.get("i", sheet)
            if (sheet, cell.get("r")) in removed:
                after = cell.getnext()
                if after is not None and after.get("i") is None:
                    after.set("i", sheet)
                self.tree(path).remove(cell)

    def packed(self) -> bytes:
        """Return the file."""
        self.recalculate()
        held = io.BytesIO()
        with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED) as archive:
            for item in self.archive.infolist():
                data = self.archive.read(item.filename)
                if item.filename in self.changed:
                    root = self.trees[item.filename]
                    data = etree.tostring(root.getroottree(), encoding="UTF-8", xml_declaration=True, standalone=True)
                archive.writestr(item, data, compress_type=item.compress_type)
        return held.getvalue()


class Sheet:
    """One sheet: its rows by number, which the format may leave out."""

    def __init__(self, parts: Parts, path: str) -> None:
        self.parts = parts
        self.path = path
        self.root = parts.tree(path)
        parts.changed.add(path)
        self.data = self.root.find(tag("sheetData"))
        self.rows: dict[int, Any] = {}
        at = 0
        for row in self.data:
            at = int(row.get("r", at + 1))
            self.rows[at] = row

    def row(self, line: int) -> Any:
        """Return a row; make it if there is none."""
        if line not in self.rows:
            made = etree.Element(tag("row"), r=str(line))
            after = max((at for at in self.rows if at < line), default=None)
            if after is None:
                self.data.insert(0, made)
            else:
                self.rows[after].addnext(made)
            self.rows[line] = made
        return self.rows[line]

    def find(self, line: int, column: int) -> Any:
        """Return a cell, or None."""
        at = 0
        for cell in self.rows.get(line, ()):
            at = column_of(cell.get("r")) if cell.get("r") else at + 1
            if at == column:
                return cell
        return None

    def cell(self, line: int, column: int) -> Any:
        """Return a cell; make it if there is none."""
        there = self.find(line, column)
        if there is not None:
            return there
        row = self.row(line)
        made = etree.Element(tag("c"), r=f"{get_column_letter(column)}{line}")
        if row.get("s") is not None:
            made.set("s", row.get("s"))
        at, place = 0, 0
        for cell in row:
            at = column_of(cell.get("r")) if cell.get("r") else at + 1
            if at > column:
                break
            place += 1
        row.insert(place, made)
        return made

    def is_filled(self, line: int, column: int) -> bool:
        """Return True if a cell has a value or a formula."""
        cell = self.find(line, column)
        return cell is not None and len(cell) > 0

    def has_formula(self, line: int, column: int) -> bool:
        """Return True if a cell is calculated, by its own formula or as part of an array."""
        cell = self.find(line, column)
        if cell is not None and cell.find(tag("f")) is not None:
            return True
        return any(
            formula.get("t") in ("array", "dataTable") and is_within(formula.get("ref", ""), line, column)
            for formula in self.data.iter(tag("f"))
        )

    def is_merged(self, line: int, column: int) -> bool:
        """Return True for a cell that a merged one covers."""
        for merged in self.root.iter(tag("mergeCell")):
            first = merged.get("ref").split(":")[0]
            if is_within(merged.get("ref"), line, column) and place_of(first) != (line, column):
                return True
        return False

    def put(self, line: int, column: int, value: object) -> None:
        """Write a value. Text stays text, whatever it starts with."""
        cell = self.cell(line, column)
        for part in list(cell):
            if etree.QName(part).localname in ("v", "is", "f"):
                cell.remove(part)
        cell.attrib.pop("t", None)
        style = cell.get("s", "0")
        if value is None or value == "":
            return
        if isinstance(value, str):
            cell.set("t", "inlineStr")
            text = etree.SubElement(etree.SubElement(cell, tag("is")), tag("t"))
            text.text = value
            text.set(SPACE, "preserve")
            if value.startswith(("=", "+", "-", "@")):
                cell.set("s", self.parts.style(style, quotePrefix="1"))
            return
        if isinstance(value, bool):
            cell.set("t", "b")
            number = "1" if value else "0"
        elif isinstance(value, date | time):
            number = repr(serial(value, self.parts.epoch))
            if not self.shows_dates(style):
                cell.set("s", self.parts.style(style, numFmtId=BUILT_IN[type(value)], applyNumberFormat="1"))
        else:
            number = f"{value:f}" if isinstance(value, Decimal) else repr(value)
        etree.SubElement(cell, tag("v")).text = number

    def shows_dates(self, style: str) -> bool:
        """Return True if a style shows a number as a date or time."""
        path = next(path for kind, path in self.parts.links(self.parts.book_path) if kind.endswith("/styles"))
        root = self.parts.tree(path)
        number = root.find(tag("cellXfs"))[int(style)].get("numFmtId", "0")
        codes = {each.get("numFmtId"): each.get("formatCode") for each in root.iter(tag("numFmt"))}
        code = re.sub(r'"[^"]*"|\[[^\]]*\]|\\.', "", codes.get(number, ""))
        return 14 <= int(number) <= 22 or 45 <= int(number) <= 47 or any(letter in code.lower() for letter in "dmyhs")

    def clear(self, line: int, column: int) -> bool:
        """Take a value away; return True if it was a formula's."""
        cell = self.find(line, column)
        if cell is None:
            return False
        was = cell.find(tag("f")) is not None
        self.put(line, column, None)
        return was

    def copy_line(self, above: int, below: int, width: int) -> None:
        """Give a new line the formats and formulas of the one above."""
        over, under = self.row(above), self.row(below)
        for name in ("ht", "customHeight", "s", "customFormat"):
            if over.get(name) is not None:
                under.set(name, over.get(name))
        for column in range(1, width + 1):
            cell = self.find(above, column)
            if cell is None:
                continue
            made = self.cell(below, column)
            if cell.get("s") is not None:
                made.set("s", cell.get("s"))
            formula = self.formula(above, column)
            if formula:
                self.put(below, column, None)
                here, there = (f"{get_column_letter(column)}{line}" for line in (above, below))
                text = Translator(f"={formula}", here).translate_formula(there)
                etree.SubElement(made, tag("f")).text = text[1:]

    def formula(self, line: int, column: int) -> str:
        """Return a cell's formula, also one that it shares with others, or ""."""
        cell = self.find(line, column)
        element = cell.find(tag("f")) if cell is not None else None
        if element is None or element.get("t") in ("array", "dataTable"):
            return ""
        if element.text or element.get("t") != "shared":
            return element.text or ""
        for other in self.data.iter(tag("f")):
            if other.get("si") == element.get("si") and other.text:
                origin = other.getparent().get("r")
                there = f"{get_column_letter(column)}{line}"
                return str(Translator(f"={other.text}", origin).translate_formula(there))[1:]
        return ""

    def tables(self) -> dict[str, Any]:
        """Return the tables that stand on the sheet, by path."""
        return {path: self.parts.tree(path) for kind, path in self.parts.links(self.path) if kind.endswith("/table")}

    def grow(self, line: int, width: int) -> None:
        """Let the sheet, and a table that ends just above, reach a new line."""
        for path, table in self.tables().items():
            first, last = table.get("ref").split(":")
            letters, end = re.fullmatch(r"([A-Z]+)(\d+)", last).groups()  # type: ignore[union-attr]
            if int(end) == line - 1 and table.get("totalsRowCount", "0") == "0":
                self.parts.changed.add(path)
                table.set("ref", f"{first}:{letters}{line}")
                for shown in table.findall(tag("autoFilter")):
                    shown.set("ref", f"{first}:{letters}{line}")
        size = self.root.find(tag("dimension"))
        if size is not None and ":" in size.get("ref", ""):
            first, last = size.get("ref").split(":")
            end, wide = place_of(last)
            size.set("ref", f"{first}:{get_column_letter(max(wide, width))}{max(end, line)}")

    def widen(self, column: int, needed: float) -> None:
        """Widen a column that is too narrow."""
        listed = self.root.find(tag("cols"))
        settings = self.root.find(tag("sheetFormatPr"))
        usual = float(settings.get("defaultColWidth", 8.43)) if settings is not None else 8.43
        column_entry = None
        for each in listed if listed is not None else ():
            if int(each.get("min")) <= column <= int(each.get("max")):
                column_entry = each
        if needed <= (float(column_entry.get("width", usual)) if column_entry is not None else usual):
            return
        if listed is None:
            listed = etree.Element(tag("cols"))
            self.data.addprevious(listed)
        made = deepcopy(column_entry) if column_entry is not None else etree.Element(tag("col"))
        made.attrib.update({"min": str(column), "max": str(column), "width": f"{needed:g}", "customWidth": "1"})
        if column_entry is None:
            listed.insert(sum(int(each.get("max")) < column for each in listed), made)
            return
        first, last = int(column_entry.get("min")), int(column_entry.get("max"))
        column_entry.addprevious(made)
        if first < column:
            before = deepcopy(column_entry)
            before.set("max", str(column - 1))
            made.addprevious(before)
        if column < last:
            column_entry.set("min", str(column + 1))
        else:
            listed.remove(column_entry)


serial: Any = to_excel
"""The number of a date or time. openpyxl has no type for it."""


def column_of(place: str) -> int:
    """Return the number of a cell's column."""
    return column_index_from_string(place.rstrip("0123456789"))


def place_of(place: str) -> tuple[int, int]:
    """Return a cell's line and column."""
    place = place.replace("$", "")
    return int(place.lstrip("ABCDEFGHIJKLMNOPQRSTUVWXYZ")), column_of(place)


def is_within(area: str, line: int, column: int) -> bool:
    """Return True if a cell is in an area such as "A1:B3"."""
    first, _, last = area.partition(":")
    (top, left), (bottom, right) = place_of(first), place_of(last or first)
    return top <= line <= bottom and left <= column <= right
