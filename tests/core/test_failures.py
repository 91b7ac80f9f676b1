"""Failures are undone, told to the user and to developers, and can be expected."""

from __future__ import annotations

import pytest

from fuselatch import FuseBlown, HandlerFailed
from fuselatch.frontends import Gesture, Session
from fuselatch.policy import Policy
from fuselatch.rehearsal import read_cues, rehearse, run_cues
from tests.bench import Bench, bench, doing, fail, undone
from tests.helpers import act

LOOP = {
    "a": lambda form: setattr(form.b, "value", form.a.required_value + 1),
    "b": lambda form: setattr(form.a, "value", form.b.required_value + 1),
}


class Worded(Bench):
    """Says it in its own words."""

    failure_text = "The crane is stuck; nothing was moved"


def test_the_user_reads_that_it_failed_until_the_next_gesture() -> None:
    met: list[BaseException] = []
    with Session(doing(go=fail("no crane")), on_failure=met.append) as session:
        with pytest.raises(HandlerFailed) as caught:
            session.feed(Gesture(verb="press", control="go"))
        view = session.view
        assert view.notice == "That didn't work, and nothing was changed" == view.failure.text  # type: ignore[union-attr]
        assert view.failure is not None and view.failure.error == "ValueError: no crane"
        assert (view.failure.what, view.failure.file, view.failure.line) == ("Bench.go_clicked", *caught.value.where)
        assert met == [caught.value]
        session.feed(Gesture(verb="tick", control="on"))
        assert session.view.failure is None and not session.view.notice


def test_a_form_and_a_policy_word_the_failure() -> None:
    policy = Policy({"Worded": {"failure_text": "Call the workshop"}}, "policy.toml")
    for options, text in (({}, Worded.failure_text), ({"policy": policy}, "Call the workshop")):
        doing(**{"Worded go": fail("no crane")})
        with rehearse(Worded, **options) as desk:  # type: ignore[call-overload]
            with pytest.raises(HandlerFailed):
                desk.press("go")
            assert desk.session.view.notice == text


def test_a_failure_can_be_expected_and_is_recorded_so() -> None:
    with bench({"go": fail("no crane")}) as (desk, _):
        desk.expect("failed", "press", "go", "because", "crane")
        undone(desk, "press go")
        act(desk, "tick on")
        sheet = desk.as_cues().partition("\n\n")[2]
    assert [" ".join(line.split()) for line in sheet.splitlines()] == [
        "expect failed press go because crane",
        "expect failed press go",
        "tick on",
    ]
    heading = "form tests.bench:Bench\n"
    doing(go=fail("no crane"))
    for line, problems in (("press go", 0), ("press go because crane", 0), ("press go because boat", 1), ("tick on", 1)):
        report = run_cues(read_cues(f"{heading}expect failed {line}\n", "sheet.cues"))
        assert report.failed == problems


def test_a_long_loop_is_told_in_a_few_lines() -> None:
    with bench(LOOP) as (desk, _):
        with pytest.raises(FuseBlown):
            act(desk, "type a 1", "tab")
        assert desk.session.view.failure is not None and desk.session.view.failure.loop[:2] == ("a.changed", "a_first")
        assert "… 95 more rounds" in desk.story() and len(desk.story().splitlines()) < 60
        assert len(desk.why("b.value").splitlines()) <= 10
