"""While a scene is explored, nothing real is touched: each kind of store, latch log and service has a tripwire."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner
from small.rates import CREW, REAL, Crew, FakeRates, Rates, calls, monday
from tides import with_a_stand_in

from fuselatch import Button, EngineFailed, Form
from fuselatch.cli import main
from fuselatch.exploring import explore
from fuselatch.journal.boundary import Apart
from fuselatch.rehearsal.cues import read_cues
from fuselatch.rehearsal.suggesting import prove_steps
from fuselatch.report.behaviour import Behaviour
from fuselatch.scenes import Scene
from fuselatch.services import DrawingBoard, Drawings, LetterBox, Letters
from fuselatch.stores import MemoryLatches, SqlLatches
from tests.helpers import store_of

EXAMPLES = Path(__file__).parents[2] / "examples"


def rows(store: Any) -> list[Any]:
    return [dict(row) for row in store.read("crew")]


@pytest.fixture(params=["memory", "csv", "json lines", "sqlite", "postgresql", "workbook"])
def real(request: pytest.FixtureRequest, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[tuple[Any, Any]]:
    """Give the scene a real store, latch log and services, which note each call; return both stores."""
    calls.clear()
    store = store_of(request.param, tmp_path, {"crew": CREW}, lambda: request.getfixturevalue("postgresql"))
    log = MemoryLatches() if request.param == "memory" else SqlLatches(tmp_path / "latches.db")
    for target, named in ((store, ("write",)), (log, ("set", "reset"))):
        wired = {call: lambda *words, call=call: calls.append(call) for call in named}
        target.__class__ = type("Real", (type(target),), wired)
    monkeypatch.setitem(REAL, "records", store)
    monkeypatch.setitem(REAL, "latches", log)
    yield store, log


def test_a_search_its_sheets_and_its_suggestions_touch_nothing_real(
    real: tuple[Any, Any], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    sheet = "scene small.rates:monday\n\nclear name\npaste name Teal\npress keep\npress post\npress rate\n"
    (tmp_path / "cues").mkdir()
    (tmp_path / "cues" / "crew.cues").write_text(sheet, encoding="utf-8")
    found = explore(monday, gestures=300, cues=tmp_path / "cues")
    prove_steps(Behaviour(), [read_cues(sheet, str(tmp_path / "crew.cues"))])
    assert [fault.key for fault in found.new if fault.is_shown] == ["failed Crew.ask_for_rate: ZeroDivisionError"]
    monkeypatch.delitem(REAL, "explored")
    refused = explore(monday, gestures=300, cues=tmp_path / "cues")
    said = "Rates has no stand-in, so its calls were refused; give one: Scene(…, explored={Rates: …})"
    assert said in refused.unproven and not refused.new, "a refused call isn't a fault of the form"
    assert not calls and rows(real[0]) == [{"id": 1, "name": "Oda"}] and not real[1].all()


def test_stand_ins_are_new_for_each_session_unless_they_are_objects() -> None:
    one = FakeRates()
    for given, is_same in ((FakeRates, False), (lambda: FakeRates(), False), (one, True)):
        start = Apart(Scene(Crew, services={Rates: Rates()}, explored={Rates: given}))
        first, second = start.outside(), start.outside()
        assert isinstance(first.services[Rates], FakeRates) and (first.services[Rates] is second.services[Rates]) is is_same
        assert first.services[Letters] is not second.services[Letters]
        assert isinstance(first.services[Letters], LetterBox) and isinstance(first.services[Drawings], DrawingBoard)
    for wrong in (Crew, 4):
        with pytest.raises(TypeError, match=r"Scene\(explored=\{Rates: …\}\): expected a Rates, or a class or function"):
            Scene(Crew, explored={Rates: wrong})
    with pytest.raises(TypeError, match=r"expected a mapping such as \{Rates: FakeRates\}"):
        Scene(Crew, explored={"Rates": FakeRates})


def test_each_untracked_value_is_a_fault_and_prints_stay_out_of_json(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(EXAMPLES)
    for processes, gestures in (("1", "400"), ("2", "26000")):
        words = ["explore", "faults.tally:Tally", "--gestures", gestures, "--processes", processes, "--json"]
        result = CliRunner().invoke(main, words)
        told = {fault["key"]: fault for fault in json.loads(result.stdout)["faults"]}
        wanted = [f"untracked Tally.{name}" for name in ("any.value", "count.value", "fee.value", "few.choices")]
        assert sorted(told) == wanted and all(fault["shown"] for fault in told.values())
        assert told["untracked Tally.fee.value"]["sheet"].endswith("expect  fee.value 0.25\n")


@pytest.mark.parametrize("words", [["-o", "file/below"], ["-o", "file"], ["-o", "taken"]])
def test_a_search_does_not_begin_if_its_report_can_not_be_written(
    words: list[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "file").write_text("", encoding="utf-8")
    (tmp_path / "taken" / "report.json").mkdir(parents=True)
    monkeypatch.chdir(tmp_path)
    monkeypatch.setattr("fuselatch.exploring.exploration.search", lambda *given: pytest.fail("it began"))
    result = CliRunner().invoke(main, ["explore", "stay:Stay", *words])
    assert result.exit_code == 2 and len(result.stderr.splitlines()) <= 3 and not isinstance(result.exception, EngineFailed)


def unknown():  # type: ignore[no-untyped-def]
    """Stand for a service whose result isn't known."""
    raise AssertionError("a search runs no function that is called elsewhere")


class Unsure(Form):
    """It asks a service that never returns in a search."""

    ask_it = Button("Ask")
    leave = Button("Leave", closes="accepted")

    @ask_it.clicked
    def get(self) -> None:
        self.call_elsewhere(unknown)


def test_each_end_of_a_slow_call_is_tried_and_is_no_fault() -> None:
    found = explore(with_a_stand_in, gestures=800)
    assert found.faults == [] and not any(way.kind == "call" for way in found.untried)
    found = explore(Unsure, gestures=200)
    assert found.faults == [] and [way.way for way in found.untried if way.kind == "call"] == ["finished"]
    assert [line.partition(":")[0] for line in found.unproven] == ["test_boundary.unknown never returned"]
