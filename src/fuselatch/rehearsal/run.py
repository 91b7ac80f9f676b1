"""Performing a cue sheet: each step at a desk, with what came of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

from fuselatch.core.engine.session import Session
from fuselatch.core.engine.store import Store
from fuselatch.core.forms.controls import LiveChoice, LiveEntry, LiveValue
from fuselatch.core.forms.form import controls_of, name_of
from fuselatch.core.forms.lines import LiveLines
from fuselatch.core.forms.policy import Rules
from fuselatch.core.forms.tables import LiveTable
from fuselatch.core.model.errors import FuseLatchError, HandlerFailed, PolicyError, UnknownName
from fuselatch.core.model.formats import PlainFormats
from fuselatch.core.model.names import suggest
from fuselatch.core.model.outcome import Outcome
from fuselatch.core.model.trace import Entry, Trace
from fuselatch.core.model.values import Unparsable
from fuselatch.policy import Policy
from fuselatch.rehearsal.cues import Cue, CueError, CueSheet
from fuselatch.rehearsal.desk import Desk, rehearse
from fuselatch.rehearsal.loading import LoadError, forms_in, load
from fuselatch.rehearsal.scenes import NOW, Scene

PLAIN: Final = PlainFormats()
YES_NO: Final = {"yes": True, "true": True, "no": False, "false": False}


@dataclass(slots=True)
class StepResult:
    """One step that was tried: its cue, the trace entries it made, and what went wrong ("" where nothing did)."""

    cue: Cue
    entries: list[Entry]
    problem: str = ""


@dataclass(slots=True)
class Performance:
    """A cue sheet performed. `passed` and `failed` count steps; `problem` is a failure behind the last step."""

    sheet: CueSheet
    steps: list[StepResult] = field(default_factory=list)
    opening: list[Entry] = field(default_factory=list)
    problem: str = ""
    trace: Trace = field(default_factory=Trace)
    outcome: Outcome | None = None
    session: Session | None = None

    @property
    def failed(self) -> int:
        """How many steps went wrong; a problem behind the last step counts as one."""
        return sum(bool(step.problem) for step in self.steps) + bool(self.problem)

    @property
    def passed(self) -> int:
        """How many steps went as they should."""
        return sum(not step.problem for step in self.steps)

    @property
    def problems(self) -> list[str]:
        """What went wrong, each with file, line and column."""
        name = self.sheet.name
        found = [f"{name}:{step.cue.line}:{step.cue.column}: {step.problem}" for step in self.steps if step.problem]
        if self.problem:
            last = self.steps[-1].cue.line if self.steps else self.sheet.opens.line
            found.append(f"{name}:{last}: {self.problem}")
        return found


class Unmet(Exception):
    """An expectation that the desk does not meet."""


def perform(
    sheet: CueSheet,
    on_step: Callable[[StepResult], None] = lambda step: None,
    *,
    policy: Rules | None = None,
    records: Store | None = None,
) -> Performance:
    """Perform a cue sheet at a fresh desk; `on_step` is called after each step.

    A `policy` takes the place of the sheet's own, `records` of the store that its scene has. A step that
    can't be done ends it; an expectation that is not met does not. Raises `CueError` where the scene or form
    can't be loaded.
    """
    desk, word = desk_for(sheet, policy), sheet.opens.words[0]
    desk.scene.records = records if records is not None else desk.scene.records
    done = Performance(sheet)
    try:
        desk.__enter__()
    except (FuseLatchError, TypeError, ValueError) as error:
        done.problem = f"{word.text} can't be opened: {error}"
        return done
    done.session = desk.session
    done.trace = desk.trace
    done.opening = desk.trace[:]
    try:
        for cue in sheet.steps:
            start = len(desk.trace)
            problem, goes_on = carry_out(desk, cue)
            result = StepResult(cue, desk.trace[start:], problem)
            done.steps.append(result)
            on_step(result)
            if not goes_on:
                break
        else:
            done.problem = (desk.unfinished() or "").partition(";")[0]
    finally:
        done.outcome = desk.outcome
        desk.session.close()
    return done


def desk_for(sheet: CueSheet, policy: Rules | None) -> Desk:
    """The desk that a cue sheet is performed at."""
    word = sheet.opens.words[0]
    try:
        now = sheet.now or NOW
        if sheet.opens.verb == "forms":
            desk = Desk(Scene(user=sheet.user, now=now, locale=sheet.locale))
        else:
            desk = rehearse(load(word.text, sheet.opens.verb), user=sheet.user, now=now, locale=sheet.locale)
        if sheet.forms is not None:
            desk.scene.forms = forms_in(near(sheet, sheet.forms.text))
        if sheet.policy is not None:
            desk.scene.policy = Policy.load(near(sheet, sheet.policy.text))
    except (LoadError, PolicyError, TypeError) as error:
        raise CueError(sheet.name, sheet.opens.line, word.column, str(error)) from None
    desk.scene.policy = policy if policy is not None else desk.scene.policy
    return desk


def near(sheet: CueSheet, path: str) -> Path:
    """A path as a cue sheet means it: from its own folder, else from where it is performed."""
    own = Path(sheet.name).parent / path
    return own if own.exists() else Path(path)


def carry_out(desk: Desk, cue: Cue) -> tuple[str, bool]:
    """One step at the desk; gives what went wrong ("" where nothing did), and whether the rest makes sense."""
    try:
        if cue.verb == "expect":
            expect(desk, list(cue.texts()))
        else:
            getattr(desk, cue.verb)(*cue.texts())
    except Unmet as unmet:
        return str(unmet), True
    except HandlerFailed as error:
        return f"{error.where[0]}:{error.where[1]}: {type(error.error).__name__}: {error.error}; {error.story}", False
    except (FuseLatchError, ValueError) as error:
        return str(error), False
    return "", True


def expect(desk: Desk, words: list[str]) -> None:
    """Check one expectation; raises `Unmet`, or `UnknownName` where what is named isn't there."""
    wanted = True
    if words[0] == "not":
        wanted = False
        words = words[1:]
    if not words:
        raise UnknownName(f"expect what? {suggest('', [*TARGETS, 'NAME.value'], 'it may be')}")
    target, rest = words[0], words[1:]
    looked = TARGETS[target](desk, rest) if target in TARGETS else expect_of(desk, target, rest)
    met, actual = looked
    if met is not wanted:
        said = " ".join(words)
        raise Unmet(f"expected {'' if wanted else 'not '}{said}, but {actual}")


Looked = tuple[bool, str]


def expect_open(desk: Desk, words: list[str]) -> Looked:
    """`open FORM`: whether a form of that class is open."""
    names = [type(form).__name__ for form in desk.session.forms]
    return one(words, "open FORM") in names, f"open are {', '.join(names)}" if names else "no form is open"


def expect_prompt(desk: Desk, words: list[str]) -> Looked:
    """`prompt [PART]`: whether a prompt is up whose text has that part."""
    prompt = desk.prompt
    part = one(words, "prompt PART-OF-ITS-TEXT") if words else ""
    text = " ".join(prompt.text.split())
    return bool(prompt) and part in text, f"the prompt is '{text}'" if prompt else "no prompt is up"


def expect_outcome(desk: Desk, words: list[str]) -> Looked:
    """`outcome VERDICT`: whether the first form has closed with that verdict."""
    verdict = desk.outcome.verdict if desk.outcome is not None else None
    return verdict == one(words, "outcome VERDICT"), f"it is {verdict}" if verdict else "the form is still open"


def expect_letter(desk: Desk, words: list[str]) -> Looked:
    """`letter [PART]`: whether a letter was sent with that part in its subject or its text."""
    part = one(words, "letter PART-OF-IT") if words else ""
    told = [f"{letter['Subject']}\n{letter.get_content()}" for letter in desk.letters if not letter.is_multipart()]
    subjects = ", ".join(f"'{letter['Subject']}'" for letter in desk.letters)
    return any(part in text for text in told), f"sent were {subjects}" if subjects else "no letter was sent"


def expect_drawing(desk: Desk, words: list[str]) -> Looked:
    """`drawing NAME`: whether a drawing of that name was made."""
    names = ", ".join(desk.drawings)
    return one(words, "drawing NAME") in desk.drawings, f"drawn were {names}" if names else "nothing was drawn"


def expect_latch(desk: Desk, words: list[str]) -> Looked:
    """`latch NAME`: whether a latch of that name holds."""
    names = [seen.latch for seen in desk.latches]
    return one(words, "latch NAME") in names, f"those that hold are {', '.join(names)}" if names else "none holds"


def expect_record(desk: Desk, words: list[str]) -> Looked:
    """`record SHOWN`: the place of the record in hand, such as "12 of 250"."""
    shown = desk.form.records.shown
    return shown == one(words, "record PLACE"), f"it is {shown}"


TARGETS: Final[Mapping[str, Callable[[Desk, list[str]], Looked]]] = {
    "open": expect_open,
    "prompt": expect_prompt,
    "outcome": expect_outcome,
    "letter": expect_letter,
    "drawing": expect_drawing,
    "latch": expect_latch,
    "record": expect_record,
}


def expect_of(desk: Desk, target: str, words: list[str]) -> Looked:
    """`[FORM.]NAME.PROPERTY WORD…`: of a control of the form in front or of the one named, or of the outcome."""
    path, dot, prop = target.rpartition(".")
    if target.startswith("outcome."):
        return expect_outcome_value(desk, target.partition(".")[2], words)
    if not dot or prop not in PROPERTIES:
        hint = suggest(prop or target, [*PROPERTIES, *TARGETS])
        raise UnknownName(f"'{target}' is nothing to expect; {hint} (NAME.{', NAME.'.join(PROPERTIES)})")
    form, path = desk.look_up(path)
    controls = controls_of(form)
    if path not in controls:
        raise UnknownName(f"{name_of(form)} has no control '{path}': {suggest(path, controls)}")
    return PROPERTIES[prop](controls[path], words)


def expect_outcome_value(desk: Desk, path: str, words: list[str]) -> Looked:
    """`outcome.NAME WORD`: of a value that the first form has left behind."""
    outcome = desk.outcome
    if outcome is None:
        return False, "the form is still open"
    if path not in outcome.values:
        hint = suggest(path, outcome.values) if outcome.values else "a cancelled outcome has none"
        raise UnknownName(f"the outcome has no value '{path}': {hint}")
    control = controls_of(desk.session.first)[path]
    value = outcome.values[path]
    return same_value(control, value, one(words, "outcome.NAME WORD")), f"it is {shown(control, value)}"


def property_value(control: Any, words: list[str]) -> Looked:
    """`NAME.value WORD`: the value, as plain formats write it."""
    has_value(control, "value")
    if isinstance(control.value, tuple):
        return [str(item) for item in control.value] == words, f"it is {', '.join(map(str, control.value)) or 'blank'}"
    return same_value(control, control.value, one(words, "NAME.value WORD")), f"it is {shown(control, control.value)}"


def property_text(control: Any, words: list[str]) -> Looked:
    """`NAME.text WORD`: what stands in the entry."""
    has_value(control, "text")
    return control.text == one(words, "NAME.text WORD"), f"it is '{control.text}'"


def property_choices(control: Any, words: list[str]) -> Looked:
    """`NAME.choices WORD…`: all that may be picked, in order."""
    if not isinstance(control, LiveChoice):
        raise UnknownName(f"'{control.name}' has no choices: it is a {control.declared.kind}")
    texts = control.choices.shown()
    few = ", ".join(texts[:12]) + (f", … ({len(texts)} in all)" if len(texts) > 12 else "")
    return texts == words, f"they are {few}" if texts else "there are none"


def property_flag(name: str) -> Callable[[Any, list[str]], Looked]:
    """`NAME.enabled yes` or `no`; `yes` may be left out."""

    def look(control: Any, words: list[str]) -> Looked:
        word = one(words, f"NAME.{name} yes|no") if words else "yes"
        if word.lower() not in YES_NO:
            raise UnknownName(f"'{word}' is neither yes nor no")
        actual = getattr(control, name)
        return actual is YES_NO[word.lower()], f"it is {'' if actual else 'not '}{name}"

    return look


def property_marker(control: Any, words: list[str]) -> Looked:
    """`NAME.marker [PART]`: whether a marker with that part in its text is shown."""
    if not isinstance(control, LiveEntry):
        raise UnknownName(f"'{control.name}' has no marker: it is a {control.declared.kind}")
    part = one(words, "NAME.marker PART-OF-ITS-TEXT") if words else ""
    marker = control.marker
    return bool(marker) and part in marker.text, f"it says '{marker.text}'" if marker else "it has none"


def property_rows(control: Any, words: list[str]) -> Looked:
    """`NAME.rows COUNT`: how many lines, or rows of a table, there are."""
    if not isinstance(control, LiveLines | LiveTable):
        raise UnknownName(f"'{control.name}' has no rows: it is a {control.declared.kind}")
    count = control.count if isinstance(control, LiveTable) else len(control)
    return str(count) == one(words, "NAME.rows COUNT"), f"there are {count}"


PROPERTIES: Final[Mapping[str, Callable[[Any, list[str]], Looked]]] = {
    "value": property_value,
    "text": property_text,
    "choices": property_choices,
    "rows": property_rows,
    "enabled": property_flag("enabled"),
    "visible": property_flag("visible"),
    "marker": property_marker,
}
"""What can be expected of a control."""


def has_value(control: Any, prop: str) -> None:
    """Refuse a property that a button does not have."""
    if not isinstance(control, LiveValue):
        raise UnknownName(f"'{control.name}' has no {prop}: it is a {control.declared.kind}")


def same_value(control: Any, value: object, word: str) -> bool:
    """Whether a value is what a word says, in plain formats whatever the locale; "" is blank."""
    if value is None or value == "":
        return word == ""
    if isinstance(value, bool):
        return YES_NO.get(word.lower()) is value
    if isinstance(control, LiveChoice) or isinstance(value, str):
        return str(value) == word
    try:
        read: object = control.declared.parse(word, control, PLAIN)
    except Unparsable:
        return False
    return read == value


def shown(control: Any, value: object) -> str:
    """A value for a message."""
    if value is None or value == "":
        return "blank"
    return str(control.declared.show(value, PLAIN))


def one(words: list[str], usage: str) -> str:
    """The one word behind a target."""
    if len(words) != 1:
        raise UnknownName(f"expect {usage} takes one word, not {len(words)}; quote a text with spaces")
    return words[0]
