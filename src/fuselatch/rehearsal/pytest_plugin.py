"""The pytest plugin: cue sheets are tests, and failures show why.

The library is imported only when a test needs it.
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
"""A control's property in a line of a test."""
TAIL: Final = 10
"""Trace entries that a failure shows."""
KEY: Final = "fuselatch_behaviour"
WATCH: Final = pytest.StashKey["Watch"]()


class Watch:
    """The rehearsals of one pytest run: the running test's desks, and the behaviour tried."""

    def __init__(self, config: pytest.Config) -> None:
        self.wanted = any(config.getoption(name) for name in ("behaviour", "behaviour_json", "behaviour_picture"))
        self.desks: list[Desk] = []
        self._behaviour: Behaviour | None = None

    @property
    def behaviour(self) -> Behaviour:
        """The behaviour tried so far."""
        if self._behaviour is None:
            from fuselatch.report.behaviour import Behaviour

            self._behaviour = Behaviour()
        return self._behaviour

    @property
    def tried(self) -> bool:
        """True if anything was tried."""
        return self._behaviour is not None and bool(self._behaviour.counts)

    def __call__(self, desk: Desk) -> None:
        """Note a desk that opens."""
        self.desks.append(desk)
        if self.wanted:
            desk.observers = (self.behaviour,)


def pytest_addoption(parser: pytest.Parser) -> None:
    group = parser.getgroup("fuselatch", "rehearsals of forms")
    group.addoption("--behaviour", action="store_true", help="report what rehearsals never tried")
    group.addoption("--behaviour-json", metavar="FILE", help="write that report as JSON")
    group.addoption("--behaviour-picture", metavar="FILE", help="draw which handlers ran (PNG or SVG)")


def pytest_configure(config: pytest.Config) -> None:
    config.stash[WATCH] = Watch(config)


def pytest_collect_file(file_path: Path, parent: pytest.Collector) -> pytest.Collector | None:
    """Collect cue sheets, except those that start with "_"."""
    if file_path.suffix == ".cues" and not file_path.name.startswith("_"):
        collector: pytest.Collector = CueFile.from_parent(parent, path=file_path)
        return collector
    return None


class CueFile(pytest.File):
    """A cue sheet: one test, or one per row of its table."""

    def collect(self) -> Iterator[CueTest]:
        """Yield the tests of a file. A file that can't be read is one failing test."""
        from fuselatch.rehearsal.cues import CueError, read_cue_file

        name = shown_path(self.path, self.config)
        try:
            sheet = read_cue_file(self.path, name, python_path(self.config))
            for run in sheet.runs:
                yield CueTest.from_parent(self, name=run.row or self.path.stem, sheet=run)
        except (CueError, OSError) as error:
            yield CueTest.from_parent(self, name=self.path.stem, sheet=None, wrong=str(error))


def python_path(config: pytest.Config) -> list[Path]:
    """Return the folders of the option `pythonpath`."""
    paths: list[Path] = config.getini("pythonpath")
    return paths


def shown_path(path: Path, config: pytest.Config) -> str:
    """Return a path from the folder that pytest was started in."""
    try:
        return str(path.relative_to(config.invocation_params.dir))
    except ValueError:
        return str(path)


class CueFailed(AssertionError):
    """A cue sheet failed. pytest shows the message."""


class CueTest(pytest.Item):
    """One run of a cue sheet."""

    def __init__(self, *, sheet: CueSheet | None, wrong: str = "", **named: Any) -> None:
        super().__init__(**named)
        self.sheet = sheet
        self.wrong = wrong

    def runtest(self) -> None:
        from fuselatch.core.model.visible import visible
        from fuselatch.rehearsal.cues import CueError
        from fuselatch.rehearsal.loading import importing_from
        from fuselatch.rehearsal.run import run_cues

        if self.sheet is None:
            raise CueFailed(visible(self.wrong))
        try:
            with watching(self), importing_from([self.path.parent], python_path(self.config)):
                done = run_cues(self.sheet)
        except CueError as error:
            raise CueFailed(visible(str(error))) from None
        if done.failed:
            raise CueFailed("\n".join(map(visible, failure_of(done))))

    def repr_failure(self, excinfo: pytest.ExceptionInfo[BaseException], style: Any = None) -> Any:
        return str(excinfo.value) if isinstance(excinfo.value, CueFailed) else super().repr_failure(excinfo, style)

    def reportinfo(self) -> tuple[Path, int | None, str]:
        line = self.sheet.opens.line - 1 if self.sheet is not None else 0
        return self.path, line, f"{self.path.name}: {self.name}"


def failure_of(done: CueRun) -> Iterator[str]:
    """Yield what a failing cue sheet shows: problems, why, and the last trace entries."""
    from fuselatch.report.tail import tail

    yield from done.problems
    for step in done.steps:
        if step.problem:
            yield ""
            yield f"  {step.cue.line}  {step.cue.source}"
            if step.unmet is not None:
                yield f"  expected: {step.unmet.expected}"
                yield f"  actual:   {step.unmet.actual}"
                yield from (f"  why:      {line}" for line in step.why)
    yield ""
    yield "last trace entries:"
    yield from (f"  {line}" for line in tail(done.trace, TAIL))


class watching:
    """Notes the desks that open while a test runs."""

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
    """Watch a Python test. It fails if the fixture's desk has an open prompt or dialog."""
    import sys

    if "fuselatch.rehearsal.desk" not in sys.modules and not pyfuncitem.config.stash[WATCH].wanted:
        # Tests that never use the library must not import it. So a test that imports it only now isn't watched.
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
    """The fixture `rehearsal`: call it with a scene or form to open a desk."""

    def __init__(self) -> None:
        self.desks: list[Desk] = []

    def __call__(self, form: Callable[..., Any], **options: Any) -> Desk:
        """Open a form or scene; takes the options of `rehearse`."""
        from fuselatch.rehearsal import rehearse

        desk = rehearse(form, **options)
        desk.__enter__()
        self.desks.append(desk)
        return desk


@pytest.fixture
def rehearsal() -> Iterator[Opened]:
    """Open desks that close when the test ends: `desk = rehearsal(quiet_monday)`.

    A desk with an open prompt or dialog fails the test.
    """
    from fuselatch.rehearsal.desk import Unfinished  # noqa: F401  (so that the test is watched)

    opened = Opened()
    yield opened
    for desk in reversed(opened.desks):
        desk.end()


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item: pytest.Item, call: pytest.CallInfo[None]) -> Any:
    """Add the rehearsals to the report of a failed test."""
    report = yield
    if call.when == "call" and report.failed and isinstance(item, pytest.Function) and call.excinfo is not None:
        for desk in item.config.stash[WATCH].desks:
            report.sections.extend(sections(desk, failing_line(item, call.excinfo), call.excinfo.value))
    return report


def failing_line(item: pytest.Function, raised: pytest.ExceptionInfo[BaseException]) -> str:
    """Return the statement of a test that failed."""
    own = [entry for entry in raised.traceback if Path(entry.path) == item.path]
    return str(own[-1].statement) if own else ""


def sections(desk: Desk, statement: str, error: BaseException) -> Iterator[tuple[str, str]]:
    """Yield a report's sections: why, the last trace entries, and the cue sheet."""
    from fuselatch.rehearsal.asserts import unmet_words
    from fuselatch.rehearsal.masking import masked_words
    from fuselatch.report.cue_words import written
    from fuselatch.report.tail import tail, why_of

    if not desk.began:
        return
    looked = [*LOOKED.findall(statement), str(getattr(error, "expected", ""))]
    lines = dict.fromkeys(line for one in looked for line in why_of(desk.session, one))
    if lines:
        yield "why", "\n".join(lines)
    yield "last trace entries", "\n".join(tail(desk.trace, TAIL))
    words = unmet_words(statement, desk)
    more = f"\n{written('expect', masked_words(desk.session, words))}" if words is not None else ""
    yield "this rehearsal as a cue sheet", desk.as_cues().rstrip() + more


def pytest_sessionfinish(session: pytest.Session) -> None:
    """Return the behaviour that a worker process tried."""
    output = getattr(session.config, "workeroutput", None)
    watch = session.config.stash[WATCH]
    if output is not None and watch.tried:
        output[KEY] = json.dumps(watch.behaviour.to_dict())


@pytest.hookimpl(optionalhook=True)
def pytest_testnodedown(node: Any, error: object) -> None:
    """Add the behaviour that a worker process tried."""
    described = getattr(node, "workeroutput", {}).get(KEY)
    if described is not None:
        node.config.stash[WATCH].behaviour.add(json.loads(described))


def pytest_terminal_summary(terminalreporter: Any, config: pytest.Config) -> None:
    """Report the behaviour tried."""
    watch = config.stash[WATCH]
    if not watch.wanted or hasattr(config, "workerinput"):
        return
    terminalreporter.section("behaviour")
    if not watch.tried:
        terminalreporter.write_line("no form was rehearsed")
        return
    from fuselatch.core.model.json_text import json_text
    from fuselatch.report.behaviour import describe_behaviour

    if config.getoption("behaviour"):
        for line in describe_behaviour(watch.behaviour):
            terminalreporter.write_line(line)
    written, picture = config.getoption("behaviour_json"), config.getoption("behaviour_picture")
    if written:
        text = json_text(watch.behaviour.to_dict(), 2) + "\n"
        Path(written).write_text(text, encoding="utf-8")
        terminalreporter.write_line(f"wrote {written}")
    if picture:
        from fuselatch.report.figures import behaviour_figure, save

        save(behaviour_figure(watch.behaviour), Path(picture))
        terminalreporter.write_line(f"wrote {picture}")
