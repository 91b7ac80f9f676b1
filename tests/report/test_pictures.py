"""Flipbooks, timelines, figures, and the output of `describe`: on the demo's data, through the command line."""

from __future__ import annotations

import json
import pickle
import re
from html.parser import HTMLParser
from itertools import combinations
from pathlib import Path
from typing import ClassVar

import pytest
from click.testing import CliRunner
from faults.quay import Unpriced
from saltmarsh.forms import BookingForm
from saltmarsh.scenes import office

from fuselatch import Answer, Button, Choice, Event, Form, HandlerFailed, Text, Tick
from fuselatch.cli import main
from fuselatch.core.model.trace import TraceEntry
from fuselatch.rehearsal import read_cue_file, rehearse, run_cues
from fuselatch.report.behaviour import Behaviour, describe_behaviour
from fuselatch.report.dependence import dependence_figure
from fuselatch.report.drawing import shot_figure
from fuselatch.report.flipbook import Shot
from fuselatch.report.screen import screen
from fuselatch.report.sketch import Grid, Row, rows_of
from fuselatch.report.timeline import handlers, timeline_figure, waits
from tests.helpers import act

CUES = Path(__file__).parents[2] / "examples" / "saltmarsh" / "cues"
NESTED = [("prompt", "outer"), ("prompt", "inner"), ("answer", "inner"), ("answer", "outer")]
PNG = b"\x89PNG"


def call(*words: object, code: int = 0) -> str:
    """Run the command line; return its output."""
    result = CliRunner().invoke(main, [str(word) for word in words])
    assert result.exit_code == code, result.output
    return result.output


class Page(HTMLParser):
    """Check that a page is complete, needs no other file, and can be read aloud."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.open: list[str] = []
        self.ids: list[str] = []
        self.targets: list[str] = []
        self.headings: list[int] = []
        self.labels: list[str] = []
        self.feed(text)
        self.close()

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """Note the element that starts."""
        known = dict(attrs)
        assert tag not in ("script", "link", "img", "iframe") and "src" not in known
        if tag not in ("meta", "br"):
            self.open.append(tag)
        self.ids += [known["id"] or ""] if "id" in known else []
        self.targets += [(known["href"] or "")[1:]] if tag == "a" else []
        self.headings += [int(tag[1])] if re.fullmatch("h[1-6]", tag) else []
        self.labels += [known["aria-label"] or ""] if tag == "figure" else []

    def handle_endtag(self, tag: str) -> None:
        """Spans end in the reverse order of their starts."""
        assert self.open.pop() == tag


@pytest.mark.parametrize("name", ["office", "arrears", "search-cancelled"])
def test_a_flipbook_is_one_whole_page(name: str, tmp_path: Path) -> None:
    out = tmp_path / "out.html"
    assert call("flipbook", CUES / f"{name}.cues", "-o", out) == f"wrote {out}\n"
    text = out.read_text(encoding="utf-8")
    page = Page(text)
    steps = len(read_cue_file(CUES / f"{name}.cues").steps)
    assert page.open == [] and len(page.targets) == steps + 1 and set(page.targets) == set(page.ids)
    assert page.headings[:3] == [1, 2, 3] and all(label.startswith("Step ") for label in page.labels)
    call("flipbook", CUES / f"{name}.cues", "-o", tmp_path / "again.html")
    assert (tmp_path / "again.html").read_text(encoding="utf-8") == text


def test_a_flipbook_marks_what_changed_and_what_failed(tmp_path: Path) -> None:
    sheet = tmp_path / "x.cues"
    sheet.write_text(
        'scene saltmarsh.scenes:quiet_monday\ntype vessel "<b>Teal & co</b>"\ntick visitor\nexpect vessel.value Heron\n'
    )
    result = CliRunner().invoke(main, ["flipbook", str(sheet)])
    assert result.exit_code == 1 and "expected vessel.value Heron" in result.output
    text = (tmp_path / "x.html").read_text(encoding="utf-8")
    assert "Vessel: blank (required, has the focus)" in text
    assert "<b>Teal" not in text and "&lt;b&gt;Teal &amp; co" in text
    third = text.partition('id="s1-2"')[2].partition("</section>")[0]
    assert re.findall(r'<span class="mark">(\w+)</span>', third) == ["changed", "enabled"]
    assert '<p class="problem"><bdi>expected vessel.value Heron, but it is' in text
    assert call("flipbook", sheet, "--step", 2, "--png", code=1).splitlines()[-1] == f"wrote {tmp_path / 'x.2.png'}"
    assert (tmp_path / "x.2.png").read_bytes().startswith(PNG)
    assert "no step 9; steps are 0 to 3" in call("flipbook", sheet, "--step", 9, "--png", code=2)
    assert "--step 7 --png" in call("flipbook", sheet, "--png", code=2)


@pytest.mark.parametrize("number", [6, 8, 22, 27, 52])
def test_every_kind_of_step_can_be_drawn(number: int, tmp_path: Path) -> None:
    call("flipbook", CUES / "office.cues", "--step", number, "--png", "-o", tmp_path / "x.svg")
    assert "</svg>" in (tmp_path / "x.svg").read_text()


def test_a_timeline_has_a_lane_for_each_form_and_what_was_waited_for(tmp_path: Path) -> None:
    sheet = tmp_path / "slow.cues"
    sheet.write_text(
        'scene saltmarsh.scenes:quiet_monday\ntype vessel Saltwort\nfocus length\nwait 25m\nanswer "Book it"\npress find\n'
    )
    done = run_cues(read_cue_file(sheet))
    assert [(span.form, span.label) for span in waits(done.trace)] == [
        ("BookingForm", "Arrears: Book it (0:25:00)"),
        ("BookingForm", "VesselSearch: still open"),
    ]
    assert [(span.label, span.end - span.start) for span in handlers(done.trace)] == [
        ("warn_of_arrears", 5),
        ("look_up_vessel", 4),
    ]
    nested = [TraceEntry(n, 0, kind, "A", "", title, None, "x", "") for n, (kind, title) in enumerate(NESTED, 1)]
    assert [(span.label, span.start, span.end) for span in waits(nested)] == [("outer: x", 1, 4), ("inner: x", 2, 3)]
    call("rehearse", "-q", sheet, "--traces", tmp_path, code=1)
    trace = tmp_path / "slow.trace.jsonl"
    assert call("timeline", trace) == f"wrote {trace.with_suffix('.png')}\n"
    assert trace.with_suffix(".png").read_bytes().startswith(PNG)
    for text, message in {
        "": "the trace is empty",
        "{\n": ":1: not valid JSON",
        '{"number": 1}\n': ":1: not a trace entry; missing: cause, kind",
        trace.read_text().replace('"gesture"', '"gestur"', 1): ":1: unknown kind 'gestur'; did you mean 'gesture'?",
    }.items():
        (tmp_path / "bad.jsonl").write_text(text)
        assert message in call("timeline", tmp_path / "bad.jsonl", code=2)
    assert "end it with .png" in call("timeline", trace, "-o", tmp_path / "x.bmpx", code=2)


def test_describe_as_json_dot_picture_and_events(tmp_path: Path) -> None:
    form = "saltmarsh.forms:BookingForm"
    known = json.loads(call("describe", form, "--json"))
    assert [dialog["verdicts"] for dialog in known["dialogs"]] == [["accepted", "cancelled"]]
    assert known["handlers"][1]["sets"] == ["length.value", "port.value", "vessel.value", "visitor.value"]
    dot = call("describe", form, "--dot")
    for edge in (
        '"pier" -> "berth" [label="choices"];',
        '"find" -> "look_up_vessel" [label="clicked"];',
        '"look_up_vessel" -> "VesselSearch"',
    ):
        assert edge in dot
    for name in (form, "saltmarsh.office:OfficeForm"):
        call("describe", name, "--picture", tmp_path / "d.png")
        assert (tmp_path / "d.png").read_bytes().startswith(PNG)
    signals = call("describe", "while_open:Muster", "--from", CUES.parents[1] / "ways", "--dot").splitlines()
    assert '  "BoatList" -> "gather" [label="chosen"];' in signals
    assert [line.split()[0] for line in signals if '"opens"' in line] == ['"show_lists"']
    lines = call("describe", form, "--events", "vessel").splitlines()
    assert "  changed         the value changed: handled by warn_of_arrears (forms.py:125)" in lines
    assert "    @vessel.left" in lines and "    @vessel.changed" not in lines
    assert "  closing           the form is about to close" in call("describe", form, "--events", "BookingForm")
    assert "Events of extras[].what (choice)" in call("describe", "saltmarsh.office:OfficeForm", "--events", "extras[].what")
    assert "did you mean 'vessel'?" in call("describe", form, "--events", "vesel", code=2)


def test_behaviour_on_the_command_line(tmp_path: Path) -> None:
    words = ("--behaviour", "--behaviour-json", tmp_path / "b.json", "--behaviour-picture", tmp_path / "b.svg")
    printed = call("rehearse", "-q", CUES, *words)
    assert "BookingForm: handlers 5 of 5, checks " in printed and "  not tried:" in printed
    assert "</svg>" in (tmp_path / "b.svg").read_text() and json.loads((tmp_path / "b.json").read_text())["version"] == 1


def test_a_screen_shows_tables_groups_and_prompts() -> None:
    seen = []
    run_cues(
        read_cue_file(CUES / "office.cues"),
        lambda step: seen.append(list(screen(step.view))) if step.view else None,
        looking=True,
    )
    lines = {line.strip("│ ") for shot in seen for line in shot}
    assert {
        "Extras:",
        "Berth | Length (m) | Depth (m)",
        "(Bookings, in the background)",
        "[ Remove ]  [ Keep it ]*",
    } & lines >= {"Extras:", "(Bookings, in the background)"}


class Kept(Form):
    """A form that blocks its own closing until it is done, and asks."""

    done = Tick("Done")
    seen = Text("Seen", value=lambda form: "yes")
    ok = Button("OK", closes="accepted", keys="Enter")
    ask_it = Button("Ask")
    answers: ClassVar[list[Answer]] = []

    @Form.closing
    def not_yet(self, event: Event) -> None:
        if not self.done.value:
            event.block("Not yet")

    @ask_it.clicked
    def put(self) -> None:
        self.answers.append(self.ask("Sure?", buttons=("Yes", "No")))


def test_each_way_to_close_counts_and_what_blocked_it_is_told() -> None:
    behaviour = Behaviour()
    with rehearse(Kept, observers=[behaviour]) as desk:
        act(desk, "close", "key Escape")
        told = [line.partition("# ")[2] for line in describe_behaviour(behaviour)]
        assert "closing Kept by its close button: tried, but blocked by not_yet" in told
        assert "closing Kept as 'accepted'" in told
        act(
            desk,
            "press ask_it",
            "close",
            "press ask_it",
            "key Escape",
            "press ask_it",
            "answer No",
            "tick done",
            "key Enter",
        )
    assert [(answer, answer.by_close_button) for answer in Kept.answers] == [("No", True), ("No", False), ("No", False)]
    ways = {tried.way: times for tried, times in behaviour.counts.items() if tried.kind == "closing"}
    assert ways == {"close button": 0, "Escape": 0, "Enter": 1}
    assert pickle.loads(pickle.dumps(Kept.answers[0])).by_close_button


def test_too_little_behaviour_fails(tmp_path: Path) -> None:
    for least, code in (("1", 0), ("99.5", 1)):
        result = CliRunner().invoke(main, ["rehearse", "-q", "--behaviour-min", least, str(CUES / "booking.cues")])
        assert result.exit_code == code, result.output
    assert "--behaviour-min is 99.5 %" in result.output


class Drawn(Form):
    """Lists that are drawn in several ways, and lines."""

    pier = Choice("Pier", choices=("North", "South"), look="radio")
    boat = Choice("Boat", choices=[f"Boat {number}" for number in range(20)])
    go = Button("Go", keys="Enter", closes="accepted")
    side = Button("Side")

    @side.clicked
    def show_one(self) -> None:
        self.show(Kept)


def test_what_a_list_shows_is_drawn() -> None:
    with rehearse(Drawn) as desk:
        act(desk, "pick pier South", "type boat Boat", "key Down", "key Down")
        lines = list(screen(desk.session.view))
        for part in ("( ) North  (•) South", "▸ Boat 1", "… 14 more", "[ Go ]↵"):
            assert any(part in line for line in lines), (part, lines)
        assert isinstance(next(rows_of(desk.session.view.forms[0])), Row)
        act(desk, "press side")
        assert waits(list(desk.trace)) == []
        act(desk, "tick done", "key Enter", "press go")


def test_labels_of_dependences_do_not_overlap() -> None:
    figure = dependence_figure(BookingForm)
    words = [text for text in figure.axes[0].texts if text.get_text()]
    boxes = [text.get_window_extent() for text in words]
    assert len(boxes) > 20 and not [pair for pair in combinations(boxes, 2) if pair[0].overlaps(pair[1])]


@pytest.mark.parametrize(("locale", "side"), [("en", "left"), ("ar", "right")])
def test_a_drawing_begins_at_the_side_of_its_locale_and_cuts_no_text(locale: str, side: str) -> None:
    with rehearse(Drawn, locale=locale) as desk:
        act(desk, f"type boat '{'long ' * 20}'")
        figure = shot_figure("sheet.cues", Shot(1, "type", "", desk.session.view, {}, (), True))
    texts = figure.axes[0].texts
    at = {text.get_text(): float(text.get_window_extent().x0) for text in texts}
    assert (at["Pier"] < at["long long long long"]) is (side == "left")
    assert " ".join(text.get_text() for text in texts).count("long") == 20


def test_a_timeline_shows_what_failed_and_was_undone() -> None:
    with rehearse(Unpriced) as desk:
        act(desk, "pick size Houseboat", "type nights 9")
        with pytest.raises(HandlerFailed):
            desk.tab()
        figure = timeline_figure(list(desk.trace), "A failure")
        told = [text.get_text() for axes in figure.axes for text in axes.texts]
        assert any("KeyError: 'Houseboat'" in text for text in told)
        act(desk, "type nights 2", *["tick flag", "untick flag"] * 100)
        assert timeline_figure(list(desk.trace), "Long").get_figwidth() > 30


def test_lines_are_drawn_as_a_grid_with_headings() -> None:
    with rehearse(office) as desk:
        act(desk, "add_line extras", "pick extras[0].what sauna")
        grid = next(block for block in rows_of(desk.session.view.forms[0]) if isinstance(block, Grid))
        assert grid.columns == ("What", "Count", "Price", "Amount") and [caption for caption, _ in grid.lines] == ["1"]
        assert [cell.text for cell in grid.lines[0][1] if cell is not None][:2] == ["sauna", "1"]
        lines = list(screen(desk.session.view))
        at = next(at for at, line in enumerate(lines) if "What" in line and "Amount" in line)
        assert "1 [sauna" in lines[at + 1]
