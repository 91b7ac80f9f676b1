"""Run a cue sheet: each step at a desk, with its effects."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import redirect_stdout
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from fuselatch.core.engine.session import Session
from fuselatch.core.engine.state.observer import Muting, Observer
from fuselatch.core.engine.state.store import Store, StoreRefused
from fuselatch.core.forms.form import name_of
from fuselatch.core.forms.policy_rules import PolicyRules
from fuselatch.core.model.errors import FuseLatchError, HandlerFailed, PolicyError, describe
from fuselatch.core.model.outcome import Outcome
from fuselatch.core.model.trace import Trace, TraceEntry
from fuselatch.core.model.view import View
from fuselatch.core.model.visible import visible
from fuselatch.policy import Policy
from fuselatch.rehearsal.cues import Cue, CueError, CueSheet
from fuselatch.rehearsal.desk import Desk, rehearse
from fuselatch.rehearsal.expectations import Unmet
from fuselatch.rehearsal.grammar import ENDS_CALLS
from fuselatch.rehearsal.loading import LoadError, forms_in, load_for_sheet, place_of
from fuselatch.rehearsal.muting import handler_named
from fuselatch.rehearsal.reach import OutOfReach, in_reach, read_bytes
from fuselatch.report.tail import why_of
from fuselatch.scenes import Scene


@dataclass(slots=True)
class StepResult:
    """A step that was tried, and its problem ("" without one).

    Its entries in `trace` are from `start` up to `stop`. `view`: the view after it, if wanted. `unmet`: an expectation that
    wasn't met, and `why` it is as it is, at that step.
    """

    cue: Cue
    trace: Trace
    start: int
    stop: int
    problem: str = ""
    view: View | None = None
    unmet: Unmet | None = None
    why: tuple[str, ...] = ()

    @property
    def place(self) -> str:
        """The problem's place, `file:line:column`: at the word that it quotes, or at the verb."""
        cue = self.cue
        quoted = (word.column for word in cue.words if self.unmet is None and f"'{word.text}'" in self.problem)
        return f"{cue.file}:{cue.line}:{next(quoted, cue.column)}"

    @property
    def entries(self) -> list[TraceEntry]:
        """The step's trace entries."""
        return self.trace[self.start : self.stop]


@dataclass(slots=True)
class CueRun:
    """A cue sheet that was run. `passed`, `failed`: numbers of steps.

    `problem`: a failure after the last step. `view`: the view before the first step, if wanted. `left_open`: the forms that
    were still open after the last step.
    """

    sheet: CueSheet
    steps: list[StepResult] = field(default_factory=list)
    opening: list[TraceEntry] = field(default_factory=list)
    problem: str = ""
    trace: Trace = field(default_factory=Trace)
    outcome: Outcome | None = None
    session: Session | None = None
    view: View | None = None
    left_open: tuple[str, ...] = ()

    @property
    def failed(self) -> int:
        """The number of failed steps. A problem after the last step counts as one."""
        return sum(bool(step.problem) for step in self.steps) + bool(self.problem)

    @property
    def passed(self) -> int:
        """The number of passed steps."""
        return sum(not step.problem for step in self.steps)

    @property
    def problems(self) -> list[str]:
        """The problems, with file, line and column."""
        name = self.sheet.name
        row = f"{self.sheet.row}: " if self.sheet.row else ""
        texts = [f"{step.place}: {row}{step.problem}" for step in self.steps if step.problem]
        if self.problem:
            last = self.steps[-1].cue.line if self.steps else self.sheet.opens.line
            texts.append(f"{name}:{last}: {row}{self.problem}")
        return texts


def lets_calls_wait(cue: Cue) -> bool:
    """Return True for a step of a sheet whose slow calls wait: it ends one, or expects one."""
    what = next((word.text for word in cue.words if word.text != "not"), "")
    return cue.verb in ENDS_CALLS or (cue.verb == "expect" and what == "slow_call")


def run_cues(
    sheet: CueSheet,
    on_step: Callable[[StepResult], None] = lambda step: None,
    *,
    policy: PolicyRules | None = None,
    records: Store | None = None,
    looking: bool = False,
    observers: Iterable[Observer] = (),
    mute: Mapping[str, str] | None = None,
    opened: Callable[[Session], None] = lambda session: None,
    is_apart: bool = False,
) -> CueRun:
    """Run a cue sheet, or one run of a sheet with a table.

    `on_step`: called after each step. `policy`, `records`: replace the sheet's policy and the scene's store. `looking`: keep
    the view after each step. `observers`: told what happens. `mute`: handlers that aren't run, by name, with the reason.
    `opened`: called after the form opens. `is_apart`: nothing real is touched; copies and stand-ins are in place of the
    scene's store, latch log and services. A step that can't be done ends the run; an expectation that isn't met doesn't.
    Raises `CueError` if the scene or form can't be loaded, `UnknownName` for an unknown handler in `mute`, and `ValueError`
    for a sheet with a table: run each of its `runs`.
    """
    if sheet.rows:
        raise ValueError(f"{sheet.name} has a table of {len(sheet.rows)} rows; run each item of .runs")
    desk, word = desk_for(sheet, policy), sheet.opens.words[0]
    desk.scene.records = records if records is not None else desk.scene.records
    desk.is_apart = is_apart
    if any(map(lets_calls_wait, sheet.steps)):
        desk.slow_calls_are = "ask"
    muted = {handler_named(name): why for name, why in (mute or {}).items()}
    desk.observers = (*observers, *([Muting(muted)] if muted else ()))
    done = CueRun(sheet)
    try:
        desk.__enter__()
    except (FuseLatchError, TypeError, ValueError) as error:
        cause = error.error if isinstance(error, HandlerFailed) and isinstance(error.error, StoreRefused) else error
        done.problem = f"can't open {word.text}: {cause}"
        return done
    except SystemExit as error:
        done.problem = f"can't open {word.text}: {place_of(error)}: {describe(error)}"
        return done
    done.session = desk.session
    done.trace = desk.trace
    done.opening = desk.trace[:]
    done.view = desk.session.view if looking else None
    try:
        opened(desk.session)
        go_through(desk, done, on_step, looking)
    finally:
        done.outcome = desk.outcome
        done.left_open = tuple([name_of(form) for form in desk.session.forms])
        desk.end()
    return done


def go_through(desk: Desk, done: CueRun, on_step: Callable[[StepResult], None], looking: bool) -> None:
    """Do the steps of a sheet until one can't be done."""
    trace = desk.trace
    for cue in done.sheet.steps:
        start = len(trace)
        problem, goes_on = carry_out(desk, cue)
        result = StepResult(cue, trace, start, len(trace), str(problem or ""))
        if isinstance(problem, Unmet):
            result.unmet = problem
            result.why = tuple(why_of(desk.session, problem.expected))
        result.view = desk.session.view if looking else None
        done.steps.append(result)
        on_step(result)
        if not goes_on:
            return
    done.problem = (desk.unfinished() or "").partition(";")[0]


def desk_for(sheet: CueSheet, policy: PolicyRules | None) -> Desk:
    """Return the desk for a cue sheet."""
    word = sheet.opens.words[0]
    try:
        if sheet.opens.verb == "forms":
            desk = Desk(Scene())
        else:
            desk = desk_at(load_for_sheet(word.text, sheet.opens.verb, sheet.folders), word.text)
        desk.scene.set(
            user=sheet.user,
            now=sheet.now,
            locale=sheet.locale,
            forms=forms_in(near(sheet, sheet.forms.text), tell_skipped) if sheet.forms is not None else None,
            policy=policy_of(sheet, sheet.policy.text) if sheet.policy is not None else None,
        )
    except (LoadError, PolicyError, OutOfReach, OSError, TypeError) as error:
        raise CueError(sheet.name, sheet.opens.line, word.column, str(error)) from None
    desk.scene.set(policy=policy)
    return desk


def tell_skipped(line: str) -> None:
    """Report a file of a sheet's folder that is skipped."""
    sys.stderr.write(f"{visible(line)}\n")


def desk_at(opened: Any, named: str) -> Desk:
    """Return a desk at a form or scene; raise `LoadError` if its code fails."""
    try:
        with redirect_stdout(sys.stderr):
            return rehearse(opened)
    except (FuseLatchError, TypeError):
        raise
    except (Exception, SystemExit) as error:
        raise LoadError(f"{named} failed: {place_of(error)}: {describe(error)}") from None


def policy_of(sheet: CueSheet, path: str) -> PolicyRules:
    """Return the policy that a cue sheet names."""
    file = near(sheet, path)
    try:
        return Policy.parse(read_bytes(file).decode("utf-8-sig"), str(file))
    except UnicodeDecodeError:
        raise PolicyError(f"{file}: not valid UTF-8; save the file as UTF-8") from None
    except OSError as error:
        raise PolicyError(f"{file}: {error.strerror or error}") from None


def near(sheet: CueSheet, path: str) -> Path:
    """Return a path from the cue sheet's folder, or from the current one; raise `OutOfReach`."""
    own = in_reach(Path(sheet.name).parent / path, sheet.folders, path)
    return own if own.exists() else in_reach(Path(path), sheet.folders, path)


def carry_out(desk: Desk, cue: Cue) -> tuple[str | Unmet | None, bool]:
    """Do one step; return its problem, if any, and True if the run continues."""
    try:
        desk.step(cue.verb, *cue.texts())
    except Unmet as unmet:
        return unmet, True
    except HandlerFailed as error:
        return f"{error.where[0]}:{error.where[1]}: {type(error.error).__name__}: {error.error}; {error.story}", False
    except (FuseLatchError, ValueError) as error:
        return str(error), False
    except SystemExit as error:
        return f"{place_of(error)}: {describe(error)}", False
    return None, True


def run_all_cues(
    sheet: CueSheet,
    *,
    policy: PolicyRules | None = None,
    records: Store | None = None,
    looking: bool = False,
    observers: Iterable[Observer] = (),
    mute: Mapping[str, str] | None = None,
) -> Iterator[CueRun]:
    """Run a cue sheet, once per row of its table. Takes the options of `run_cues`."""
    for run in sheet.runs:
        yield run_cues(run, policy=policy, records=records, looking=looking, observers=observers, mute=mute)
