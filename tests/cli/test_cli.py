"""The command line, called as users call it."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import pytest
from click.testing import CliRunner

from fuselatch.cli import COMMANDS, main
from fuselatch.rehearsal.loading import forget_imports
from fuselatch.stores import LatchRecord
from fuselatch.stores.sql import SqlLatches

CUES = Path(__file__).parents[2] / "examples" / "saltmarsh" / "cues"


def call(*words: str) -> tuple[int, str, str]:
    """Return the exit code, standard output and standard error of a call."""
    result = CliRunner().invoke(main, list(words))
    return result.exit_code, result.stdout, result.stderr


def test_the_demo_tells_writes_and_says_what_to_try(tmp_path: Path) -> None:
    code, out, err = call("demo", "--output", str(tmp_path / "out"))
    assert (code, err) == (0, "")
    for line in (
        "  ok    5  press   find",
        "└─ runs BookingForm.look_up_vessel",
        "└─ resumes BookingForm.look_up_vessel",
        "  ok  overhang.cues: 17 steps passed",
        "4 cue sheets: 76 steps passed, 0 failed",
        "Try next:",
    ):
        assert f"{line}\n" in out
    rows = (tmp_path / "out" / "bookings.csv").read_text().splitlines()
    assert len(rows) == 404 and rows[-3:] == [
        "1401,Kittiwake,N7,2031-05-05,3,122.40,",
        "1402,Long Reach,O6,2031-05-05,2,136.00,",
        "1403,Saltwort,S5,2031-05-05,1,34.00,",
    ]
    letter = (tmp_path / "out" / "arrears-1.eml").read_text()
    assert "Subject: Saltwort: berth S5 from 2031-05-05\n" in letter
    assert "<title>Saltwort in berth S5</title>" in (tmp_path / "out" / "arrears-mooring-plan-S5.svg").read_text()
    trace = [json.loads(line) for line in (tmp_path / "out" / "booking.trace.jsonl").read_text().splitlines()]
    assert [entry["number"] for entry in trace] == list(range(1, len(trace) + 1))
    assert list(trace[0]) == ["number", "cause", "kind", "form", "control", "name", "old", "new", "time"]
    code, out, _ = call("rehearse", str(tmp_path / "out" / "booking.cues"))
    assert code == 0 and "1 cue sheet: 21 steps passed, 0 failed" in out


def test_a_demo_that_can_not_write_says_so(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    code, _, err = call("demo", "--output", str(tmp_path / "file" / "out"))
    assert (code, err) == (
        2,
        f"fuselatch: can't write to {tmp_path}/file/out: Not a directory; choose another folder with --output\n",
    )


@pytest.mark.parametrize(
    ("words", "code", "message"),
    [
        (["rehearse", "{tmp}/good.cues"], 0, ""),
        (["rehearse", "-q", "{tmp}/bad.cues"], 1, ""),
        (["rehearse", "{tmp}/goood.cues"], 2, "fuselatch: {tmp}/goood.cues: file not found; did you mean '{tmp}/good.cues'?"),
        (["rehearse", "{tmp}/empty"], 2, "fuselatch: no cue sheets (*.cues) in folder {tmp}/empty"),
        (["rehearse", "{tmp}/binary.cues"], 2, "fuselatch: {tmp}/binary.cues:2:1: not valid UTF-8; save the file as UTF-8"),
        (["rehearse", "{tmp}/verb.cues"], 2, "fuselatch: {tmp}/verb.cues:2:1: unknown step 'prss'; did you mean 'press'?"),
        (["rehearse"], 2, "fuselatch: missing argument 'FILE.cues|FOLDER…'; try 'fuselatch rehearse --help'"),
        (["rehearse", "--from", "{tmp}/none", "x"], 2, "fuselatch: invalid value for '--from': Directory '{tmp}/none' does not exist; try 'fuselatch rehearse --help'"),
        (["rehearce"], 2, "fuselatch: unknown command 'rehearce'; did you mean 'rehearse'?"),
        (["rehearse", "--quiett", "x"], 2, "fuselatch: no such option '--quiett'; did you mean '--quiet'?"),
    ],
)  # fmt: skip
def test_exit_codes_and_one_clear_line(tmp_path: Path, words: list[str], code: int, message: str) -> None:
    (tmp_path / "good.cues").write_text("scene saltmarsh.scenes:searching\nexpect open VesselSearch\n")
    (tmp_path / "bad.cues").write_text("scene saltmarsh.scenes:searching\nexpect match.value Kittiwake\n")
    (tmp_path / "empty").mkdir()
    (tmp_path / "binary.cues").write_bytes(b"scene x\n\xff\xfe")
    (tmp_path / "verb.cues").write_text("scene saltmarsh.scenes:searching\nprss back\n")
    exit_code, out, err = call(*(word.replace("{tmp}", str(tmp_path)) for word in words))
    assert exit_code == code
    assert "Traceback" not in out + err
    assert (err.strip().splitlines() or [""])[-1] == message.replace("{tmp}", str(tmp_path))
    if "bad" in words[-1]:
        assert out.splitlines()[0] == f"{tmp_path}/bad.cues:2:1: expected match.value Kittiwake, but it is blank"


def test_why_is_answered_or_says_what_can_be_asked() -> None:
    sheet = str(CUES / "overhang.cues")
    code, out, _ = call("rehearse", "-q", sheet, "--why", "too_long", "--why", "BookingForm.length.marker")
    assert code == 0 and "  the answer was 'Change berth'" in out and "  plausible: passed with length 17.2" in out
    code, _, err = call("rehearse", "-q", sheet, "--why", "lenth.value")
    assert code == 2 and err == "fuselatch: --why lenth.value: can't explain 'lenth.value'; did you mean 'length.value'?\n"


def test_help_names_every_command_and_imports_nothing_heavy() -> None:
    program = "import sys; from fuselatch.cli import main; main(['--help'], standalone_mode=False); print(sorted({n.partition('.')[0] for n in sys.modules}))"
    answer = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=True, timeout=300).stdout
    assert all(f"  {name} " in answer for name in COMMANDS)
    loaded = answer.splitlines()[-1]
    assert not any(f"'{heavy}'" in loaded for heavy in ("rich", "saltmarsh", "hypothesis", "csv", "greenlet"))


def test_the_cue_sheet_of_the_records_example_passes() -> None:
    for sheet, steps in (("harbours", 30), ("tours", 39)):
        done = call("rehearse", "-q", str(CUES.parents[1] / f"{sheet}.cues"))[1]
        assert done == f"1 cue sheet: {steps} steps passed, 0 failed\n"


def test_forms_lists_a_folder_with_what_each_is_for(tmp_path: Path) -> None:
    code, out, _ = call("forms", str(CUES.parent))
    assert code == 0 and "BookingForm     Book a berth (needs berths, vessels, tariff)\n" in out
    code, out, _ = call("forms", str(CUES.parents[1] / "ways"), "--json")
    told = {one["name"]: one for one in json.loads(out)}
    assert (told["GuestForm"]["keys"], told["FrontDesk"]["at_start"]) == ("Ctrl+G", True)
    clash = "from fuselatch import Form\nclass One(Form, keys='F2'):\n    'One.'\nclass Two(Form, keys='F2'):\n    'Two.'\n"
    (tmp_path / "clash_of_forms.py").write_text(clash)
    code, out, err = call("forms", str(tmp_path))
    assert (code, out) == (1, "One  F2  One\n         One.\nTwo  F2  Two\n         Two.\n")
    assert "shortcut F2 opens both One and Two; change one" in err
    (tmp_path / "clash_of_forms.py").write_text(
        "import nothing_of_that_name\nfrom fuselatch import Form\nclass A(Form): ...\n"
    )
    (tmp_path / "not_to_import.py").write_text("syntax error\n")
    (tmp_path / "other.py").write_text("from fuselatch import Form\nclass Other(Form):\n    'Another.'\n")
    forget_imports()
    code, out, err = call("forms", str(tmp_path))
    assert (
        code == 2
        and "skipped clash_of_forms.py: can't import clash_of_forms: module 'nothing_of_that_name' not found" in err
    )
    assert "skipped not_to_import.py:1: invalid syntax" in err and out.startswith("Other")


def test_latches_lists_and_releases(tmp_path: Path) -> None:
    log = SqlLatches(tmp_path / "office.db")
    for user in ("imke", "oda"):
        log.set(LatchRecord("BookingForm.owes", user, "Saltwort", "Book it", "2031-05-04T09:30:00"), None)
    store = str(tmp_path / "office.db")
    code, out, _ = call("latches", store)
    assert (code, out.splitlines()) == (0, [
        "latch             user  key       answer   when",
        "BookingForm.owes  imke  Saltwort  Book it  2031-05-04T09:30:00",
        "BookingForm.owes  oda   Saltwort  Book it  2031-05-04T09:30:00",
        "2 entries",
    ])  # fmt: skip
    code, _, err = call("latches", store, "--user", "odo", "--reset")
    assert code == 1 and "no entry with user 'odo'; did you mean 'oda'?" in err
    code, out, _ = call("latches", store, "--user", "oda", "--reset")
    assert code == 0 and out.endswith("1 entry reset\n")
    code, out, _ = call("latches", store, "--json")
    assert [json.loads(line)["user"] for line in out.splitlines()] == ["imke"]
    assert call("latches", store, "--reset")[0] == 0 and call("latches", store)[1] == "no entries\n"
    code, _, err = call("latches", str(tmp_path / "none.db"))
    assert code == 2 and "file not found; give a SQLite file" in err and not (tmp_path / "none.db").exists()
    (tmp_path / "no.db").write_text("text, not a database" * 100)
    code, _, err = call("latches", str(tmp_path / "no.db"))
    assert code == 2 and "file is not a database" in err


def test_describe_shows_lines_tables_and_records() -> None:
    _, out, _ = call("describe", "saltmarsh.office:OfficeForm")
    for line in (
        "  records: bookings",
        "extras           lines    'Extras'         lines of ExtraLine; records extras, key booking; new record: save_first; on removal: ask",
        "extras[].amount  money    'Amount'         unit EUR; decimals 2; value depends on count, price",
        "berth            choice   'Berth'          required; default last_entered(); choices from berths.name",
        "keep             button   'Save and next'  submits, then next",
        "  extras[].what.changed: quote (office.py",
    ):
        assert line in out, line
    _, out, _ = call("describe", "saltmarsh.office:BerthTable")
    assert "columns name, length, depth; sorted by length; choices from berths.name where pier" in out


def test_a_policy_shows_in_describe_and_holds_in_rehearse(tmp_path: Path) -> None:
    policy = tmp_path / "office.toml"
    policy.write_text(
        "[BookingForm.prompts.owes]\ntext = 'Money first, {vessel}: {amount}'\nbuttons = {'Book it' = 'Let it pass'}\n"
        "[BookingForm.checks]\nplausible = 'refuse'\n'length.maximum' = 'warn'\n"
    )
    _, before, _ = call("describe", "saltmarsh.forms:BookingForm")
    code, out, _ = call("describe", "saltmarsh.forms:BookingForm", "--policy", str(policy))
    changed = [line.strip() for line in out.splitlines() if line not in before.splitlines()]
    assert code == 0 and changed == [
        "length   number   'Length'     required; minimum 3; maximum 60 (warn); unit m; decimals 2; checked by plausible (refuse)",
        "owes: 'Money first, {vessel}: {amount}' [Let it pass] [Send to the office]",
        "default 'Send to the office'; cancel 'Send to the office'; tone warning; latch per record; remembers 'Book it'; "
        "text changed by policy; code sees 'Book it', 'Send to the office'",
    ]
    code, out, _ = call("rehearse", "-q", str(CUES / "arrears.cues"), "--policy", str(policy))
    assert code == 1 and out.endswith("1 cue sheet: 23 steps passed, 1 failed\n")  # declared captions answer, too
    assert "7:1: expected prompt Saltwort has owed, but the prompt is 'Money first, Saltwort: 224.55'\n" in out
    policy.write_text("[BookingForm.checks]\nplausibel = 'warn'\n")
    for words in (("describe", "saltmarsh.forms:BookingForm"), ("rehearse", str(CUES / "arrears.cues"))):
        code, out, err = call(*words, "--policy", str(policy))
        assert code == (2 if words[0] == "describe" else 1) and "did you mean 'plausible'" in out + err


def test_the_shipped_cue_sheets_pass() -> None:
    code, out, _ = call("rehearse", "-q", str(CUES))
    assert (code, out) == (0, "8 cue sheets, 11 runs: 200 steps passed, 0 failed\n")


def test_every_small_form_passes_its_cue_sheets() -> None:
    code, out, err = call("rehearse", "-q", str(CUES.parents[1] / "small"))
    assert (code, err) == (0, "") and out.endswith(" 0 failed\n"), out
