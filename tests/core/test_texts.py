"""The table of texts for the user: each is used, with all its facts, none stands elsewhere, and German is complete."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path
from string import Formatter
from typing import Any

import pytest
from babel.messages.pofile import read_po

import fuselatch
from fuselatch import Button, Catalog, Choice, Finding, Form, Number, Table, Text, check, warn
from fuselatch.core.model.record_changes import Change
from fuselatch.core.model.texts import TEXTS, user_text
from fuselatch.formats import LocaleFormats
from fuselatch.rehearsal import rehearse
from fuselatch.stores import MemoryRecords
from tests.helpers import act

SOURCES = [path for path in Path(fuselatch.__file__).parent.rglob("*.py") if path.name != "texts.py"]
CALLS = [
    (f"{path.name}:{node.lineno}", node)
    for path in SOURCES
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8")))
    if isinstance(node, ast.Call) and node.args
]


def fields(text: str) -> set[str]:
    return {name for _, name, _, _ in Formatter().parse(text) if name}


def ids(node: ast.expr) -> set[str]:
    """Return the ids that an expression can stand for; of a computed part any text."""
    if isinstance(node, ast.Constant):
        return {str(node.value)}
    if isinstance(node, ast.IfExp):
        return ids(node.body) | ids(node.orelse)
    if isinstance(node, ast.JoinedStr):
        parts = [re.escape(str(part.value)) if isinstance(part, ast.Constant) else ".+" for part in node.values]
        return {each for each in TEXTS if re.fullmatch("".join(parts), each)}
    return set()


def called(name: str) -> Iterator[tuple[str, ast.Call]]:
    return ((where, call) for where, call in CALLS if isinstance(call.func, ast.Name) and call.func.id == name)


def told() -> Iterator[tuple[str, ast.expr, ast.Call]]:
    """Yield each call that makes a text: where, the expression for its id, and the call."""
    for where, call in CALLS:
        name = call.func.id if isinstance(call.func, ast.Name) else getattr(call.func, "attr", "")
        if name == "user_text" or name == "later" or (name == "text" and ast.unparse(call.func).endswith("session.text")):
            if name != "user_text" or len(call.args) > 1:
                yield where, call.args[name == "user_text"], call


def test_each_call_passes_what_its_text_shows() -> None:
    for where, first, call in told():
        passed = {keyword.arg for keyword in call.keywords}
        found = ids(first)
        assert found <= set(TEXTS), where
        fits = [fields(TEXTS[each]) <= passed or None in passed for each in found]
        # An id that starts with a computed part, such as "minimum.time", can be any of its kind.
        started = isinstance(first, ast.JoinedStr) and not isinstance(first.values[0], ast.Constant)
        assert any(fits) if started else all(fits), f"{where}: {found}"


def test_each_text_is_used() -> None:
    words = " ".join(path.read_text(encoding="utf-8") for path in SOURCES)
    used = {each for _, first, _ in told() for each in ids(first)}
    assert [each for each in TEXTS if each not in used and f'"{each}"' not in words] == []


def test_no_text_for_the_user_stands_elsewhere() -> None:
    for kind in ("Finding", "Unparsable", "Prompt"):
        for where, call in called(kind):
            first = call.args[0]
            parts = [first] if isinstance(first, ast.Constant) else first.values if isinstance(first, ast.JoinedStr) else []
            written = " ".join(str(part.value) for part in parts if isinstance(part, ast.Constant))
            assert not re.search(r"[a-z]{2}", re.sub(r"\{\w+\}", "", written)), f"{where}: {written}"


def test_each_text_is_in_german_and_of_the_english_one_as_it_is_now() -> None:
    file = Path(fuselatch.__file__).parent / "formats" / "de.po"
    with file.open("rb") as opened:
        german = {str(text.context): text for text in read_po(opened) if text.id}
    assert list(german) == list(TEXTS)
    for name, text in german.items():
        assert text.id == TEXTS[name] and text.string and fields(str(text.string)) == fields(TEXTS[name]), name
    same = {name for name, text in german.items() if text.string == text.id}
    assert same == {"ok", "line", "notice.finding", "notice.at"}


class Booking(Form, records="boats", confirm_discard="Verwerfen?"):
    """A form whose user meets many of the library's own texts."""

    name = Text("Name", required=True)
    length = Number("Länge", minimum=3)
    kind = Choice("Art", choices=("Segler", "Motor"), other=True)
    boats = Table("Boote", rows=Catalog("boats", text="name"), columns=("id", "home"))
    save = Button("Sichern", submits=True, after_submit="same")
    ask_it = Button("Fragen")

    @check(length)
    def long(self, length: float) -> Finding | None:
        return warn("Lang") if length > 20 else None

    @ask_it.clicked
    def put(self) -> None:
        self.said = [self.confirm("Wirklich?"), self.ask("Wie?"), self.ask_value(Text("Wort"))]


def test_a_german_session_speaks_german_and_handlers_see_what_they_declared() -> None:
    store = MemoryRecords({"boats": [{"id": 1, "name": "Heron", "length": 9.0, "kind": "Segler", "home": True}]})
    with rehearse(Booking, locale="de-AT", records=store) as desk:
        form: Any = desk.form
        assert form.records.position_text == "1 von 1"
        boats: Any = next(each.part for each in desk.session.view.forms[0].controls if each.name == "boats")
        assert boats.cells == (("1", "ja"),)
        act(desk, "clear name", "type length 2", "press save")
        assert form.name.marker.text == "Wert eingeben" and form.length.marker.text == "Zu klein: 2. Mindestens 3"
        assert desk.session.notice == "Name: Wert eingeben"
        act(desk, "type length x", "tab")
        assert form.length.marker.text == "„x“ ist keine Zahl. Beispiel: 12,5"
        act(desk, "type name Eider", "type length 21", "type kind Kutter", "tab")
        assert desk.prompt.text == "„Kutter“ zu Art hinzufügen?" and desk.prompt.buttons == (
            "Hinzufügen",
            "Einmal verwenden",
        )
        act(desk, "answer Hinzufügen", "press save")
        assert (desk.prompt.title, desk.prompt.buttons) == ("Angaben prüfen", ("Weiter", "Zurück"))
        act(desk, "answer Weiter", "press ask_it", "answer Ja", "answer Abbrechen", "type value Tau", "press ok")
        assert form.said == [True, "Cancel", "Tau"]
        store.write([Change("change", "boats", 1, {"name": "Reiher"}, dict(store.read("boats")[0]))])
        act(desk, "type name Kranich", "press save")
        changed = "Datensatz 1 (Name: Eider) wurde während der Bearbeitung von jemand anderem geändert."
        assert desk.prompt.in_words == f"{changed}\n| Eigene | Fremde\nName | Kranich | Reiher"
        act(desk, "answer 'Weiter bearbeiten'")
        assert desk.session.notice == "Datensatz 1 von „boats“ wurde von jemand anderem geändert"
    assert not [entry for entry in desk.trace if entry.kind in ("finding", "prompt", "block") and "Enter a" in str(entry)]


def test_texts_of_ones_own_and_of_other_languages(tmp_path: Path) -> None:
    file = tmp_path / "fr.po"
    file.write_text('msgid ""\nmsgstr ""\n\nmsgctxt "yes"\nmsgid "Yes"\nmsgstr "Oui"\n', encoding="utf-8")
    assert LocaleFormats("fr").texts is TEXTS
    formats = LocaleFormats("fr", texts=file)
    assert [user_text(formats, name) for name in ("yes", "no")] == ["Oui", "No"]
    for wrong, why in (("Oui {x}", "can't have '{x}'; choose from none"), ("Oui {", "Single '{'")):
        file.write_text(f'msgctxt "yes"\nmsgid "Yes"\nmsgstr "{wrong}"\n', encoding="utf-8")
        with pytest.raises(ValueError, match=f"fr.po: the text 'yes'.*{why}"):
            LocaleFormats("fr", texts=file)
