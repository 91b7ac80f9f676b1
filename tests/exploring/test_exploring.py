"""A search finds planted faults, shows each with a short cue sheet, and does the same each time."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner
from faults import quay
from saltmarsh.scenes import office, quiet_monday

from fuselatch import Choice, Form, Integer, Refused, UnknownName
from fuselatch.cli import main
from fuselatch.core.engine.looking.possible import possible_gestures
from fuselatch.core.engine.records.bound_records import Records
from fuselatch.core.engine.rules.afresh import differing
from fuselatch.exploring import Named, explore, read_known
from fuselatch.exploring.exploration import together
from fuselatch.exploring.faults import Fault, Tried
from fuselatch.exploring.probing import drive
from fuselatch.exploring.search import Search
from fuselatch.exploring.walking import Budget, Walker
from fuselatch.exploring.world import NeverEnds, TimeFuse, World, load_start
from fuselatch.frontends import Session
from fuselatch.rehearsal import run_cues
from fuselatch.rehearsal.cues import read_cues
from tests.bench import Bench, bench, doing
from tests.exploring.planted import PLANTED, found_after

pytest_plugins = ["pytester"]

ROOT = Path(__file__).parents[2]
QUAY = "faults.quay"
LONGER = 2
"""How many gestures more than by hand may show a fault."""


@pytest.mark.parametrize("form", PLANTED, ids=lambda form: form.__name__)
def test_a_planted_fault_is_found_and_shown_by_few_gestures(form: type[Form]) -> None:
    key, by_hand = PLANTED[form]
    found = found_after(form, key, seed=7)
    assert found is not None
    assert found[0] <= 12_000 and found[1] <= by_hand + LONGER


def test_a_cue_sheet_shows_its_fault_until_it_is_mended(monkeypatch: pytest.MonkeyPatch) -> None:
    found = explore(quay.Misread, gestures=1500)
    fault = next(fault for fault in found.new if fault.kind == "failed")
    assert fault.is_shown and fault.where.startswith("quay.py:")
    assert "press   harbour" in fault.sheet and f"form    {QUAY}:Misread" in fault.sheet
    assert run_cues(read_cues(fault.sheet, "fault.cues")).failed
    monkeypatch.setattr(quay, "WRONG_NAME", "name")
    assert not run_cues(read_cues(fault.sheet, "fault.cues")).problem


@pytest.mark.parametrize(
    ("form", "key", "part"),
    [
        (quay.Quitting, "failed stop: SystemExit", "press   quit"),
        (quay.Waiting, "failed Waiting.get_water: KeyError", "finish  get_water null"),
        (quay.Impatient, "failed Impatient.use_it: TypeError", "expect  slow_call"),
        (quay.Late, "failed the rule hour.value: ZeroDivisionError", "wait "),
        (quay.Asking, "blank Hollow.vessel", "expect  open Hollow"),
        (quay.Stubborn, "refusal Stubborn.deposit", "expect  not deposit.marker"),
        (quay.Ordered, "order Ordered: nights and size", "pick    size"),
    ],
    ids=lambda found: getattr(found, "__name__", None),
)
def test_more_that_is_found_is_shown_by_its_cue_sheet(form: type[Form], key: str, part: str) -> None:
    fault = next(fault for fault in explore(form, gestures=8_000).faults if fault.key == key)
    assert part in fault.sheet and fault.is_shown, fault.sheet


@pytest.mark.parametrize(
    ("form", "keys"), [(quay.Deaf, ["sleep_long", "spin_on"]), (quay.Unopened, ["wait_for_it"])], ids=["deaf", "unopened"]
)
def test_a_handler_is_ended_wherever_it_waits(form: type[Form], keys: list[str], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("fuselatch.exploring.search.GESTURE_SECONDS", 0.4)
    assert [fault.key for fault in explore(form, gestures=30).new] == [f"endless {key}" for key in keys]


def test_what_cue_sheets_enter_is_entered_and_what_they_try_counts(tmp_path: Path) -> None:
    (tmp_path / "known.cues").write_text(f"form {QUAY}:Spoken\ntype note Ratphen\npress leave\n", encoding="utf-8")
    assert not explore(quay.Spoken, gestures=1_500).new
    found = explore(quay.Spoken, gestures=1_500, cues=tmp_path)
    assert [fault.key for fault in found.new] == ["failed Spoken.open_up: LookupError"]


def part(key: str, *acts: str, accepted: tuple[str, ...] = (), unaccepted: tuple[str, ...] = ()) -> Tried:
    """Return the work of one of several searches, with one fault."""
    fault = Fault(key.partition(" ")[0], key, "", tuple([("press", act, "") for act in acts]))
    return Tried(10, 3, [fault], accepted=[*accepted], unaccepted=[*unaccepted], refused=["Rates"])


def test_of_what_several_searches_found_the_shortest_way_counts_and_what_one_has_refuted_does_not() -> None:
    tried = [
        part("trap Stay", "a", "b"),
        part("trap Stay", "b"),
        part("trap Stay", "a", "b", "c"),
        part("refusal Stay.nights", "a", unaccepted=("Stay", "Bill")),
        part("refusal Bill.sum", "a", accepted=("Stay",)),
        part("failed Stay.note: KeyError", "a"),
    ]
    found = together("scene", 7, 60, tried, {"trap Stay": "meant", "trap Bill": "gone"})
    assert [(fault.key, len(fault.acts), fault.reason) for fault in found.faults] == [
        ("failed Stay.note: KeyError", 1, ""),
        ("trap Stay", 1, "meant"),
        ("refusal Bill.sum", 1, ""),
    ]
    assert (found.gestures, found.states) == (60, 18)
    assert [line.partition(",")[0] for line in found.unproven] == [
        "Bill was never accepted",
        "Rates has no stand-in",
        "the known fault 'trap Bill' wasn't found",
    ]


def test_a_budget_counts_each_gesture_and_gives_back_what_was_lent() -> None:
    budget = Budget(3)
    budget.take()
    with budget.beyond(5):
        for _ in range(2):
            budget.take()
        assert budget.left == 3
    assert (budget.left, budget.fed, budget.is_over) == (0, 3, True)
    assert Budget(1, until=0).is_over and not Budget(1).is_over


class Shower(Form):
    tokens = Integer("Tokens", maximum=4)
    minutes = Integer("Minutes", maximum=9)


def test_only_what_each_try_was_refused_stayed_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    def enter(walker: Walker, world: World, avoid: frozenset[str], attempt: int) -> bool:
        for name in ["tokens", "minutes"][: attempt + 1]:
            walker.feed(world, ("type", name, "20"))
        walker.feed(world, ("tab", "", ""))
        return False

    monkeypatch.setattr("fuselatch.exploring.probing.drive_once", enter)
    search = Search(load_start(Shower), "1", 500, None, {})
    assert drive(search.walker, [], tries=2) == (
        False,
        [("type", "tokens", "20"), ("type", "minutes", "20"), TAB],
        ("tokens",),
        (),
    )


def test_a_search_that_is_too_slow_itself_is_no_fault() -> None:
    search = Search(load_start(Shower), "1", 500, None, {})
    scope: dict[str, Any] = {"NeverEnds": NeverEnds, "__name__": Search.__module__}
    exec("def slow(): raise NeverEnds", scope)
    search.guarded(scope["slow"])
    assert not search.faults and search.budget.left == 499


@pytest.mark.parametrize("gestures", [50, 400])
def test_a_search_keeps_to_its_budget(gestures: int) -> None:
    done = Search(load_start(quiet_monday), "7", gestures, None, {}).run()
    # The last walk or probe may come to its end.
    assert gestures <= done.gestures <= gestures + 30


def stays_without_looking(self: Records, turn: Any, word: str) -> bool:
    """Go to a record as an earlier version did: `previous` at the first stays there, even if the filter leaves it out now."""
    at = self._filtered().places.get(self.key, len(self._filtered().keys))
    if not self._leave(turn):
        return False
    keys = self._keys()
    if word == "previous" and at in (0, len(keys)):
        return self._go(turn, self.key)
    place = {"next": at + 1, "previous": at - 1, "first": 0, "last": len(keys) - 1, "new": len(keys)}[word]
    return self._go(turn, keys[place] if 0 <= place < len(keys) else None)


def test_an_error_of_the_library_itself_is_found(monkeypatch: pytest.MonkeyPatch) -> None:
    kept = Records._step

    def step(self: Records, turn: Any, word: str) -> bool:
        return (kept if word in ("save", "remove") else stays_without_looking)(self, turn, word)

    monkeypatch.setattr(Records, "_step", step)
    assert found_after(office, "library KeyError", seed=1) is not None


def test_nothing_is_found_at_the_marina_and_what_was_never_reached_is_told() -> None:
    found = explore(quiet_monday, gestures=6000)
    assert not found.new and found.gestures >= 6000 and found.states > 300 and not found.unproven
    assert {way.form for way in found.untried} <= {"BookingForm", "VesselSearch"}
    assert not [way for way in found.untried if way.kind in ("closing", "verdict", "handler")]
    assert sum(found.made.values()) > 1000 and {found.times(way) for way in found.untried if way.kind == "answer"} == {0}


def told(found: Any) -> str:
    return json.dumps({**found.to_dict(), "scene": ""}, sort_keys=True)


SAME = f"import {QUAY} as q; from fuselatch.exploring import explore; from tests.exploring.test_exploring import told; print(told(explore(q.Tired, gestures=2500, seed=3)))"


def test_the_same_seed_finds_the_same_in_another_process_with_other_hashes() -> None:
    other = {**os.environ, "PYTHONHASHSEED": "11", "PYTHONPATH": os.pathsep.join([*sys.path, str(ROOT)])}
    said = subprocess.run(
        [sys.executable, "-c", SAME], env=other, cwd=ROOT, check=True, capture_output=True, text=True, timeout=300
    )
    assert said.stdout.strip() == told(explore(quay.Tired, gestures=2500, seed=3))


@pytest.fixture
def small_parts(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("fuselatch.exploring.exploration.PART", 1000)


@pytest.mark.usefixtures("small_parts")
def test_parts_run_in_any_executor_with_the_same_result() -> None:
    here = explore(quay.Unpriced, gestures=2000)
    with ProcessPoolExecutor(2, get_context("spawn")) as pool:
        assert told(explore(Named(f"{QUAY}:Unpriced", (ROOT,)), gestures=2000, executor=pool)) == told(here)


def test_time_or_ctrl_c_end_it_and_what_was_found_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    found = explore(quay.Unpriced, gestures=10_000_000, seconds=0.5)
    assert found.cut == "the time was over" and found.gestures < 10_000_000
    fed = 0
    feed = World.do

    def stopped(self: World, act: Any) -> None:
        nonlocal fed
        fed += 1
        if fed == 1500:
            raise KeyboardInterrupt
        feed(self, act)

    monkeypatch.setattr(World, "do", stopped)
    found = explore(quay.Unpriced, gestures=100_000)
    assert found.cut == "it was stopped" and [fault.kind for fault in found.new] == ["failed"]


SPOTS = ["N1"]


class Spots(Form):
    spot = Choice("Spot", choices=lambda form: tuple(SPOTS))


def test_choices_that_their_rule_makes_otherwise_when_it_is_asked_again_are_told() -> None:
    with Session(Spots) as session:
        assert not differing(session._state)
        SPOTS.append("N2")
        assert [(each.prop, each.shown, each.afresh) for each in differing(session._state)] == [("choices", ["N1"], SPOTS)]


# ---- states


def marks(*ways: list[tuple[str, str, str]], form: Any = Bench) -> list[bytes]:
    """Return the fingerprints after some gestures in worlds of the same scene."""
    start, found = load_start(form), []
    for way in ways:
        world = start.open()
        for act in way:
            world.do(act)
        found.append(world.fingerprint())
        world.close()
    return found


TYPED, TAB = ("type", "word", "ab"), ("tab", "", "")


@pytest.mark.parametrize(
    ("does", "one", "other"),
    [
        ({}, [TYPED], [("type", "word", "a")]),
        ({}, [TYPED], [TYPED, TAB]),
        ({}, [("focus", "word", "")], [("focus", "a", "")]),
        ({}, [("type", "b", "60"), TAB], [("type", "b", "61"), TAB]),
        ({"go": lambda form: setattr(form, "plain", 1)}, [], [("press", "go", "")]),
        ({"go": lambda form: setattr(form.word, "caption", "Other")}, [], [("press", "go", "")]),
        ({"go": lambda form: form.say("Done")}, [], [("press", "go", "")]),
        ({"go": lambda form: form.confirm("Sure?")}, [TYPED, ("press", "go", "")], [("press", "go", "")]),
        ({"go": lambda form: form.confirm("Sure?")}, [("press", "go", "")], [("focus", "later", ""), ("press", "go", "")]),
    ],
    ids=[
        "draft",
        "settled",
        "focus",
        "value",
        "plain attribute",
        "what was set",
        "message",
        "value below a prompt",
        "what would be undone",
    ],
)
def test_states_that_differ_have_different_fingerprints(does: Any, one: Any, other: Any) -> None:
    first, second, again = marks(one, other, one, form=doing(**does))
    assert first != second and first == again


def test_states_with_the_same_fingerprint_do_the_same() -> None:
    """Two ways to the same fingerprint, however different, have the same gestures and effects afterwards."""
    compared = 0
    for scene in (office, quay.Tired):
        start = load_start(scene)
        with TimeFuse(5) as fuse:
            walker = Walker(start, "1", Budget(1_500), fuse, {})
            ways: dict[bytes, tuple[Any, ...]] = {}
            while not walker.budget.is_over:
                world = walker.open()
                for _ in range(12):
                    act = walker.choose(world)
                    if act is None or walker.feed(world, act) is not None:
                        break
                    mark, way = world.fingerprint(), tuple(world.done)
                    other = ways.setdefault(mark, way)
                    if other != way and compared < 400:
                        compared += 1
                        continues_alike(walker, other, way)
                world.close()
    assert compared > 100


def continues_alike(walker: Walker, one: tuple[Any, ...], other: tuple[Any, ...]) -> None:
    """See that the next few gestures have the same effects after two ways to the same state."""
    (first, _), (second, _) = walker.replay(one), walker.replay(other)
    for _ in range(4):
        acts = first.possible()
        assert acts == second.possible(), (one, other)
        if not acts:
            break
        act = walker.draw.choice(acts)
        errors = first.attempt(act), second.attempt(act)
        assert type(errors[0]) is type(errors[1]), (one, other, act)
        assert first.fingerprint() == second.fingerprint(), (one, other, act)
    first.close()
    second.close()


def asks_with(number: int) -> Any:
    def ask(form: Any) -> None:
        left = number
        form.confirm("Sure?")
        form.say(f"{left}")

    return ask


def test_a_local_of_a_handler_that_waits_is_part_of_the_state() -> None:
    ways = [marks([("press", "go", "")], form=doing(go=asks_with(number)))[0] for number in (1, 2, 1)]
    assert ways[0] != ways[1] and ways[0] == ways[2]


def test_what_is_stored_and_latched_is_part_of_the_state_and_other_worlds_do_not_see_it() -> None:
    start = load_start(office)
    first, second = start.open(), start.open()
    before = first.fingerprint()
    assert before == second.fingerprint()
    records: Any = first.outside.records
    source = next(iter(records.sources))
    records.sources[source] = records.read(source)[1:]
    assert first.fingerprint() != before == second.fingerprint()
    first.close()
    second.close()


@pytest.mark.parametrize("scene", [quiet_monday, office])
def test_what_is_possible_is_not_refused(scene: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    refused: list[Any] = []
    kept = World.attempt

    def attempt(self: World, act: Any) -> Any:
        was_possible = act in self.possible()
        error = kept(self, act)
        # A record may be gone once the current one is left, and a new one can't be removed.
        if was_possible and isinstance(error, Refused | UnknownName) and act[0] != "record":
            refused.append((act, str(error)))
        return error

    monkeypatch.setattr(World, "attempt", attempt)
    Search(load_start(scene), "5", 600, None, {}).run()
    assert not refused


def test_nothing_is_possible_in_a_session_that_is_closed_or_paused() -> None:
    with bench() as (desk, _):
        desk.pause_at(Bench.word.changed)
        desk.type("word", "a")
        desk.tab()
        assert desk.session.paused_before and possible_gestures(desk.session._state) == []
        desk.go_on()
        desk.close()
        assert possible_gestures(desk.session._state) == []


# ---- the command


def run(*words: str) -> Any:
    return CliRunner().invoke(main, ["explore", *words])


@pytest.fixture(scope="module")
def explored(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Any, Path]]:
    folder = tmp_path_factory.mktemp("explored")
    (folder / "fault-9.cues").write_text("old\n", encoding="utf-8")
    with pytest.MonkeyPatch.context() as patch:
        patch.chdir(ROOT)
        yield run(f"{QUAY}:Unpriced", "--gestures", "1500", "-o", str(folder)), folder


def test_the_command_tells_what_was_found_and_writes_a_cue_sheet(explored: tuple[Any, Path]) -> None:
    result, folder = explored
    lines = result.output.splitlines()
    assert result.exit_code == 1, result.output
    assert lines[0].startswith(f"explored {QUAY}:Unpriced: 1,5") and lines[1] == "1 fault"
    assert lines[3:6] == [
        "fault 1: code that fails",
        f"  KeyError: 'Houseboat' in Unpriced.work_out ({Path(quay.__file__).name}:{quay.Unpriced.work_out.__code__.co_firstlineno + 4})",
        "  key     failed Unpriced.work_out: KeyError",
    ]
    assert sorted(path.name for path in folder.iterdir()) == ["fault-1.cues", "report.json"]
    sheet = CliRunner().invoke(main, ["rehearse", "--from", str(ROOT), str(folder / "fault-1.cues")])
    assert sheet.exit_code == 1 and "KeyError: 'Houseboat'" in sheet.output
    described = json.loads((folder / "report.json").read_text(encoding="utf-8"))
    assert [fault["key"] for fault in described["faults"]] == ["failed Unpriced.work_out: KeyError"]


def test_a_known_fault_is_told_with_its_reason_and_is_no_failure(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(ROOT)
    known = tmp_path / "known.toml"
    known.write_text(
        '[[known]]\nfault = "failed Unpriced.work_out: KeyError"\nreason = "No houseboats yet"\n'
        '[[known]]\nfault = "trap Gone"\nreason = "Mended"\n',
        encoding="utf-8",
    )
    result = run(f"{QUAY}:Unpriced", "--gestures", "1500", "--known", str(known))
    assert result.exit_code == 0, result.output
    assert "0 faults, 1 known fault" in result.output and "  reason  No houseboats yet" in result.output
    assert "not proven: the known fault 'trap Gone' wasn't found" in result.output


@pytest.mark.parametrize(
    ("text", "problem"),
    [
        ("known = 3", "unknown 'known'"), ("[[knwn]]\nfault = 'a'", "unknown 'knwn'"), ("[[known]]\nfault = 'a'", "entry 1"),
        ("[[known]]\nfault = 'a'\nreason = ' '", "aren't blank"), ("[[", "known.toml"),
    ],
)  # fmt: skip
def test_a_file_of_known_faults_that_can_not_be_read_says_why(text: str, problem: str, tmp_path: Path) -> None:
    path = tmp_path / "known.toml"
    path.write_text(text, encoding="utf-8")
    with pytest.raises(ValueError, match=problem.replace("'", ".")):
        read_known(path)
    result = run(f"{QUAY}:Unpriced", "--known", str(path))
    assert result.exit_code == 2 and len(result.output.splitlines()) == 1


@pytest.mark.parametrize(
    ("words", "said"),
    [
        ([f"{QUAY}:Unprized"], "did you mean 'Unpriced'"), ([f"{QUAY}:Unpriced", "--gestures", "0"], "--gestures"),
        ([f"{QUAY}:Unpriced", "--seconds", "0"], "--seconds"), (["nowhere.at:All"], "not found"), (["tests.exploring.planted:unready"], "unready failed: planted.py:"),
        (["saltmarsh.forms:BookingForm"], "needs berths"), ([f"{QUAY}:Unpriced", "-o", "README.md/explored"], "README.md"),
    ],
)  # fmt: skip
def test_wrong_words_are_told_in_one_line(words: list[str], said: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(ROOT)
    result = run(*words)
    assert result.exit_code == 2 and said in result.output.splitlines()[-1]


def test_a_marked_test_explores_its_scene(pytester: pytest.Pytester) -> None:
    pytester.makepyfile(
        f"""
        import pytest
        from {QUAY} import Divided, Harbours

        @pytest.mark.explore(Harbours, gestures=300)
        def test_good(explored):
            assert explored.gestures >= 300

        @pytest.mark.explore(Divided, gestures=1500)
        def test_bad(explored): ...
        """
    )
    result = pytester.runpytest_subprocess("-p", "no:cacheprovider", f"--rootdir={pytester.path}", f"-opythonpath={ROOT}")
    result.assert_outcomes(passed=1, errors=1)
    result.stdout.fnmatch_lines(["*ZeroDivisionError*"])
