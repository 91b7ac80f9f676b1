"""For pytest: cue sheets are tests, the fixture `rehearsal`, what a failure shows, and coverage of behaviour.

What it needs of the library is imported once a test rehearses something.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

import pytest

if TYPE_CHECKING:
    from fuselatch.rehearsal import CueRun, CueSheet, Desk
    from fuselatch.report.behaviour import Behaviour

LOOKED: Final = re.compile(r"[A-Za-z_][\w\]\[.]*\.\w+")
"""What looks like a property of a control in a line of a test."""
TAIL: Final = 10
"""How many lines of the trace a failure shows."""
KEY: Final = "fuselatch_behaviour"
WATCH: Final = pytest.StashKey["Watch"]()


class Watch:
    """What one run of pytest has rehearsed: the desks of the test that runs, and what was tried in all."""

    def __init__(self, config: pytest.Config) -> None:
        self.wanted = any(config.getoption(name) for name in ("behaviour", "behaviour_json", "behaviour_picture"))
        self.desks: list[Desk] = []
        self._behaviour: Behaviour | None = None

    @property
    def behaviour(self) -> Behaviour:
        """What was tried so far."""
        if self._behaviour is None:
            from fuselatch.report.behaviour import Behaviour

            self._behaviour = Behaviour()
        return self._behaviour

    @property
    def tried(self) -> bool:
        """Whether anything was."""
        return self._behaviour is not None and bool(self._behaviour.counts)

    def __call__(self, desk: Desk) -> None:
        """A rehearsal begins."""
        self.desks.append(desk)
        if self.wanted:
            desk.witness = self.behaviour


def pytest_addoption(parser: pytest.Parser) -> None:
    """The options."""
    group = parser.getgroup("fuselatch", "rehearsals of forms")
    group.addoption("--behaviour", action="store_true", help="report what rehearsals never tried")
    group.addoption("--behaviour-json", metavar="FILE", help="write that report as JSON")
    group.addoption("--behaviour-picture", metavar="FILE", help="draw which handlers ran (PNG or SVG)")


def pytest_configure(config: pytest.Config) -> None:
    """Begin to watch."""
    config.stash[WATCH] = Watch(config)


def pytest_collect_file(file_path: Path, parent: pytest.Collector) -> pytest.Collector | None:
    """Cue sheets are tests; those whose names begin with `_` are there to be included."""
    if file_path.suffix == ".cues" and not file_path.name.startswith("_"):
        found: pytest.Collector = CueFile.from_parent(parent, path=file_path)
        return found
    return None


class CueFile(pytest.File):
    """A cue sheet: one test, or one for each row of its table."""

    def collect(self) -> Iterator[CueTest]:
        """The tests of a file; of one that can't be read, one that says so."""
        from fuselatch.rehearsal.cues import CueError, read_cue_file

        name = told_path(self.path, self.config)
        try:
            sheet = read_cue_file(self.path, name)
            for run in sheet.runs:
                yield CueTest.from_parent(self, name=run.row or self.path.stem, sheet=run)
        except (CueError, OSError) as error:
            yield CueTest.from_parent(self, name=self.path.stem, sheet=None, wrong=str(error))


def told_path(path: Path, config: pytest.Config) -> str:
    """A file as messages call it: from where pytest was started, where it is below that."""
    start = config.invocation_params.dir
    return str(path.relative_to(start)) if path.is_relative_to(start) else str(path)


class CueFailed(AssertionError):
    """A cue sheet that did not go through; its text is what pytest shows."""


class CueTest(pytest.Item):
    """One run of a cue sheet."""

    def __init__(self, *, sheet: CueSheet | None, wrong: str = "", **named: Any) -> None:
        super().__init__(**named)
        self.sheet = sheet
        self.wrong = wrong

    def runtest(self) -> None:
        """Perform it."""
        from fuselatch.rehearsal.cues import CueError
        from fuselatch.rehearsal.loading import importing_from
        from fuselatch.rehearsal.run import run_cues

        if self.sheet is None:
            raise CueFailed(self.wrong)
        try:
            with watching(self), importing_from([self.path.parent]):
                done = run_cues(self.sheet)
        except CueError as error:
            raise CueFailed(str(error)) from None
        if done.failed:
            raise CueFailed("\n".join(failure_of(done)))

    def repr_failure(self, excinfo: pytest.ExceptionInfo[BaseException], style: Any = None) -> Any:
        """What went wrong, without a traceback through the library."""
        return str(excinfo.value) if isinstance(excinfo.value, CueFailed) else super().repr_failure(excinfo, style)

    def reportinfo(self) -> tuple[Path, int | None, str]:
        """Where it stands, and what it is called."""
        line = self.sheet.opens.line - 1 if self.sheet is not None else 0
        return self.path, line, f"{self.path.name}: {self.name}"


def failure_of(done: CueRun) -> Iterator[str]:
    """What a failing cue sheet shows: each problem, what was expected and what there was, why, and the trace's tail."""
    from fuselatch.report.tail import tail, why_of

    yield from done.problems
    for step in done.steps:
        if step.problem:
            yield ""
            yield f"  {step.cue.line}  {step.cue.source}"
            if step.unmet is not None:
                yield f"  expected: {step.unmet.expected}"
                yield f"  actual:   {step.unmet.actual}"
                for line in why_of(done.session, step.unmet.expected):
                    yield f"  why:      {line}"
    yield ""
    yield "last trace entries:"
    yield from (f"  {line}" for line in tail(done.trace, TAIL))


class watching:
    """While a test runs, note the desks of its rehearsals."""

    def __init__(self, item: pytest.Item) -> None:
        self.watch = item.config.stash[WATCH]

    def __enter__(self) -> Watch:
        from fuselatch.rehearsal.desk import watchers

        self.watch.desks = []
        watchers.append(self.watch)
        return self.watch

    def __exit__(self, *raised: object) -> None:
        from fuselatch.rehearsal.desk import watchers

        watchers.remove(self.watch)


@pytest.hookimpl(wrapper=True)
def pytest_pyfunc_call(pyfuncitem: pytest.Function) -> Iterator[None]:
    """Watch the rehearsals of a test in Python; one of the fixture that is left with a prompt or a dialog open fails."""
    import sys

    if "fuselatch.rehearsal.desk" not in sys.modules and not pyfuncitem.config.stash[WATCH].wanted:
        # A test that imports the library itself only now is not watched; nothing is imported for tests that never do.
        return (yield)
    with watching(pyfuncitem):
        result = yield
        opened = pyfuncitem.funcargs.get("rehearsal")
        for desk in opened.desks if isinstance(opened, Opened) else ():
            left_over = desk.unfinished()
            if left_over is not None:
                pytest.fail(f"still open: {left_over}", pytrace=False)
        return result


class Opened:
    """What the fixture `rehearsal` gives: called with a scene or a form, it opens a desk until the test ends."""

    def __init__(self) -> None:
        self.desks: list[Desk] = []

    def __call__(self, form: Callable[..., Any], **options: Any) -> Desk:
        """Open a form or scene; takes what `rehearse` takes."""
        from fuselatch.rehearsal import rehearse

        desk = rehearse(form, **options)
        desk.__enter__()
        self.desks.append(desk)
        return desk


@pytest.fixture
def rehearsal() -> Iterator[Opened]:
    """Rehearse forms: `desk = rehearsal(BookingForm, tariff=tariff)`, or `rehearsal(quiet_monday)`.

    The desk is open until the test ends; one with an unanswered prompt or an open dialog then fails it.
    """
    from fuselatch.rehearsal.desk import Unfinished  # noqa: F401  (so that the test is watched)

    opened = Opened()
    yield opened
    for desk in reversed(opened.desks):
        desk.end()


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item: pytest.Item, call: pytest.CallInfo[None]) -> Any:
    """To the report of a failed test add what its rehearsals did."""
    report = yield
    if call.when == "call" and report.failed and isinstance(item, pytest.Function) and call.excinfo is not None:
        for desk in item.config.stash[WATCH].desks:
            report.sections.extend(sections(desk, failing_line(item, call.excinfo), call.excinfo.value))
    return report


def failing_line(item: pytest.Function, raised: pytest.ExceptionInfo[BaseException]) -> str:
    """The statement of a test that failed."""
    own = [entry for entry in raised.traceback if Path(entry.path) == item.path]
    return str(own[-1].statement) if own else ""


def sections(desk: Desk, statement: str, error: BaseException) -> Iterator[tuple[str, str]]:
    """What is shown of one rehearsal: why what the test looked at was as it was, the trace's tail, the cue sheet."""
    from fuselatch.rehearsal.asserts import unmet_words
    from fuselatch.report.cue_words import written
    from fuselatch.report.tail import tail, why_of

    if desk._session is None:
        return
    looked = [*LOOKED.findall(statement), str(getattr(error, "expected", ""))]
    found = dict.fromkeys(line for one in looked for line in why_of(desk.session, one))
    if found:
        yield "why", "\n".join(found)
    yield "last trace entries", "\n".join(tail(desk.trace, TAIL))
    words = unmet_words(statement, desk)
    more = f"\n{written('expect', words)}" if words is not None else ""
    yield "this rehearsal as a cue sheet", desk.as_cues().rstrip() + more


def pytest_sessionfinish(session: pytest.Session) -> None:
    """A worker of a run on several processes hands over what it has tried."""
    output = getattr(session.config, "workeroutput", None)
    watch = session.config.stash[WATCH]
    if output is not None and watch.tried:
        output[KEY] = json.dumps(watch.behaviour.to_dict())


@pytest.hookimpl(optionalhook=True)
def pytest_testnodedown(node: Any, error: object) -> None:
    """Take what a worker has tried."""
    told = getattr(node, "workeroutput", {}).get(KEY)
    if told is not None:
        node.config.stash[WATCH].behaviour.add(json.loads(told))


def pytest_terminal_summary(terminalreporter: Any, config: pytest.Config) -> None:
    """Tell what was tried, and write it where that is asked for."""
    watch = config.stash[WATCH]
    if not watch.wanted or hasattr(config, "workerinput"):
        return
    terminalreporter.section("behaviour")
    if not watch.tried:
        terminalreporter.write_line("no form was rehearsed")
        return
    from fuselatch.report.behaviour import told

    if config.getoption("behaviour"):
        for line in told(watch.behaviour):
            terminalreporter.write_line(line)
    written, picture = config.getoption("behaviour_json"), config.getoption("behaviour_picture")
    if written:
        text = json.dumps(watch.behaviour.to_dict(), indent=2, ensure_ascii=False) + "\n"
        Path(written).write_text(text, encoding="utf-8")
        terminalreporter.write_line(f"wrote {written}")
    if picture:
        from fuselatch.report.figures import behaviour_figure, save

        save(behaviour_figure(watch.behaviour), Path(picture))
        terminalreporter.write_line(f"wrote {picture}")
