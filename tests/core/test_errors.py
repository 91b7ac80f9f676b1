"""Errors: whose fault each is, with its parts; and an error of the library itself."""

from __future__ import annotations

import copy
import pickle
from collections.abc import Callable
from typing import Any

import pytest
from click.testing import CliRunner

import fuselatch
from fuselatch import (
    Abandoned,
    EffectFailed,
    EngineFailed,
    Form,
    FuseBlown,
    FuseLatchError,
    HandlerFailed,
    NotAllowedHere,
    Refused,
    Text,
    frontends,
    rehearsal,
    stores,
)
from fuselatch.cli import main
from fuselatch.core.engine.acting.verbs import STEPS
from fuselatch.core.model.errors import Blank
from fuselatch.frontends import Gesture, Session
from fuselatch.policy import PolicyError
from fuselatch.rehearsal import CueError, Unmet
from fuselatch.stores import Change, ChangedMeanwhile, RecordError

MADE: list[FuseLatchError] = [
    Refused("press ok", "it is hidden", 7),
    Blank("Stay", "nights"),
    HandlerFailed(("stay.py", 3), ValueError("no"), ("Stay.price", "nights.changed", "tab"), "tab"),
    FuseBlown(("stay.py", 3), RecursionError("a → b"), ("Stay.price",), "tab", ("a", "b")),
    EffectFailed(("stay.py", 3), OSError("no line"), ("Print",), "Send", ("Draw",), "press ok"),
    ChangedMeanwhile(Change("change", "stays", 1, {"nights": 2}, {"nights": 1}), {"nights": 3}),
    RecordError("'stays' 1", "nights", "expected a number, not 'x'"),
    EngineFailed("tab", KeyError(1001)),
    CueError("stay.cues", 3, 1, "unknown step 'clik'"),
    Unmet("nights.value 3", "it is 2"),
]


def errors() -> dict[str, type[BaseException]]:
    """Every public error, by name."""
    packages: tuple[Any, ...] = (fuselatch, frontends, stores, rehearsal)
    found = {name: getattr(package, name) for package in packages for name in package.__all__}
    return {name: each for name, each in found.items() if isinstance(each, type) and issubclass(each, BaseException)} | {
        "PolicyError": PolicyError
    }


def test_every_error_has_one_base() -> None:
    assert {name for name, error in errors().items() if not issubclass(error, FuseLatchError)} == {"Abandoned"}
    assert not issubclass(Abandoned, Exception)


@pytest.mark.parametrize("again", [copy.copy, copy.deepcopy, lambda error: pickle.loads(pickle.dumps(error))])
def test_every_error_pickles_and_copies(again: Callable[[Any], Any]) -> None:
    plain: list[Any] = [
        error("text") for name, error in errors().items() if "__init__" not in vars(error) and name != "FuseBlown"
    ]
    for error in [*MADE, *plain]:
        copied = again(error)
        assert type(copied) is type(error) and str(copied) == str(error), error
        assert {name: repr(part) for name, part in vars(copied).items()} == {
            name: repr(part) for name, part in vars(error).items()
        }


class Note(Form):
    """Has one field."""

    note = Text("Note")


BROKEN = """
def broken(turn, gesture, control):
    turn.put_value(control, "half done", 0)
    raise KeyError(1001)
"""


def test_an_error_of_the_library_says_what_was_done_and_ends_the_session(monkeypatch: pytest.MonkeyPatch) -> None:
    steps: Any = STEPS
    library: dict[str, Any] = {"__name__": "fuselatch.made_up"}
    exec(BROKEN, library)
    monkeypatch.setitem(steps, "focus", library["broken"])
    session = Session(Note)
    with pytest.raises(EngineFailed) as failed:
        session.feed(Gesture(verb="focus", control="note"))
    said = "Fuse Latch failed at 'focus note': KeyError: 1001; this is an error of the library. The session can't be used any more"
    assert str(failed.value) == said and isinstance(failed.value.__cause__, KeyError)
    # What the gesture changed is undone, and what there is can still be looked at.
    assert session.view.forms[0].controls[0].text == ""
    with pytest.raises(Refused, match="Fuse Latch failed at 'focus note'"):
        session.feed(Gesture(verb="type", control="note", text="x"))
    with pytest.raises(NotAllowedHere, match="Fuse Latch failed at 'focus note'"):
        session.front.note.value = "x"  # type: ignore[attr-defined]
    session.close()


def test_the_command_line_never_prints_a_traceback(monkeypatch: pytest.MonkeyPatch) -> None:
    def fails(*args: object, **more: object) -> None:
        raise EngineFailed("tab", KeyError(1001))

    monkeypatch.setattr("fuselatch.cli.forms.command.callback", fails)
    result = CliRunner().invoke(main, ["forms", "."])
    assert (result.exit_code, result.output[:45]) == (1, "fuselatch: Fuse Latch failed at 'tab': KeyErr")
