"""Expectations: check them, and describe the actual state."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import time
from decimal import Decimal
from typing import Final, TypeAlias

from fuselatch.core.forms.form import controls_of, focus_of, forms_loaded, plan_of
from fuselatch.core.forms.latch import Latch
from fuselatch.core.forms.live_state import AnyControl, is_masked
from fuselatch.core.model.errors import EffectFailed, FuseLatchError, HandlerFailed, Refused, UnknownName, describe
from fuselatch.core.model.locale_formats import PlainFormats
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import Record
from fuselatch.core.model.values import Unparsable
from fuselatch.rehearsal.desk_view import DeskView
from fuselatch.rehearsal.grammar import OF_OUTCOME, VerbRule, expected_rule, step_and_reason

PLAIN: Final = PlainFormats()
YES_NO: Final = {"yes": True, "true": True, "no": False, "false": False}
FEW: Final = 12
"""Choices that a message lists."""

Looked: TypeAlias = tuple[bool, str]
"""The result of an expectation: True if it is met, and the actual state in words."""


class Unmet(FuseLatchError, AssertionError):
    """A failed expectation. `expected`: its words. `actual`: the actual state, in words."""

    def __init__(self, expected: str, actual: str) -> None:
        super().__init__(f"expected {expected}, but {actual}")
        self.expected = expected
        self.actual = actual


def expect(desk: DeskView, words: Sequence[str]) -> None:
    """Check an expectation; raise `Unmet`, or `UnknownName` for an unknown name."""
    __tracebackhide__ = True
    wanted = words[0] != "not"
    said = words if wanted else words[1:]
    rule = expected_rule(said[0]) if said else None
    if rule is None:
        raise UnknownName(f"can't expect '{said[0] if said else ''}'; see docs/cue-sheets.md")
    target, rest = said[0], list(said[1:])
    fits(rule, rest)
    look = TARGETS.get(target)
    met, actual = look(desk, rest) if look is not None else expect_of(desk, target, rest)
    if met is not wanted:
        described = " ".join(word or '""' for word in said)
        raise Unmet(f"{'' if wanted else 'not '}{described}", actual)


def fits(rule: VerbRule, words: Sequence[str]) -> None:
    """Refuse too few or too many words."""
    if not rule.least <= len(words) <= (len(words) if rule.most is None else rule.most):
        raise UnknownName(f"expect {rule.usage}: got {len(words)} words; quote text with spaces")


def part_of(words: list[str]) -> str:
    """Return the expected part of a text; "" for any text."""
    return words[0] if words else ""


def text_holds(text: str, words: list[str], what: str, none: str) -> Looked:
    """Look for the expected part in a text, whatever white space is between the words of both."""
    text, part = " ".join(text.split()), part_of(words)
    return bool(text) and " ".join(part.split()) in text, f"{what} '{text}'" if text else none


def must_be_form(name: str) -> None:
    """Refuse the name of a form that doesn't exist: that it isn't open would say nothing."""
    names = {form.__name__ for form in forms_loaded()}
    if name.partition("#")[0] not in names:
        raise UnknownName(f"unknown form '{name}'; {suggest(name, sorted(names))}")


def must_be_latch(desk: DeskView, name: str) -> None:
    """Refuse the name of a latch that no form has."""
    names = {seen.latch for seen in desk.latches}
    for form in forms_loaded():
        members = {attribute: member for base in form.__mro__ for attribute, member in vars(base).items()}
        names.update(member.name for member in members.values() if isinstance(member, Latch))
        checks = [check for control in plan_of(form).controls.values() for check in control.checks]
        latched = [attribute for attribute, member in members.items() if getattr(member, "latch", None) is not None]
        latched += [check.name for check in checks if check.latch is not None]
        names.update(f"{form.__name__}.{each}" for each in latched)
    if name not in names:
        raise UnknownName(f"unknown latch '{name}'; {suggest(name, sorted(names))}")


def rows_of(desk: DeskView, source: str) -> Sequence[Record]:
    """Return the rows of a source; raise `UnknownName` if there is none of this name."""
    try:
        return desk.session.records.rows(source)
    except KeyError as error:
        raise UnknownName(str(error.args[0]) if error.args else f"unknown record source '{source}'") from None


def expect_open(desk: DeskView, words: list[str]) -> Looked:
    """`open FORM`: a form of this class, or with this name in the trace, is open."""
    must_be_form(words[0])
    names = [form._state.name if "#" in words[0] else type(form).__name__ for form in desk.session.forms]
    return words[0] in names, f"open: {', '.join(names)}" if names else "no form is open"


def expect_front(desk: DeskView, words: list[str]) -> Looked:
    """`front FORM`: the front form has this class, or this name in the trace."""
    must_be_form(words[0])
    name = desk.form._state.name if "#" in words[0] else type(desk.form).__name__
    return words[0] == name, f"{name} is in front"


def expect_title(desk: DeskView, words: list[str]) -> Looked:
    """`title TEXT`: the front form's title."""
    return words[0] == desk.form.title, f"it is '{desk.form.title}'"


def expect_focus(desk: DeskView, words: list[str]) -> Looked:
    """`focus [CONTROL]`: the focused control; without a word, any."""
    focused = focus_of(desk.form)
    name = focused.name if focused is not None else ""
    must_be_there(desk, words)
    return bool(name) and part_of(words) in ("", name), f"the focus is at {name}" if name else "the focus is nowhere"


def must_be_there(desk: DeskView, words: list[str]) -> None:
    """Refuse a control that the front form doesn't have."""
    for path in words:
        desk.session.control(path)


def expect_message(desk: DeskView, words: list[str]) -> Looked:
    """`message [PART]`: the message of the front form."""
    notice = desk.session.notice
    none = f"there is no message (the notice is '{notice}')" if notice else "there is no message"
    return text_holds(desk.session.message(desk.form), words, "the message is", none)


def expect_notice(desk: DeskView, words: list[str]) -> Looked:
    """`notice [PART]`: why the last gesture was blocked or cut short."""
    return text_holds(desk.session.notice, words, "the notice is", "there is no notice")


def expect_help(desk: DeskView, words: list[str]) -> Looked:
    """`help [PART]`: the help that is shown."""
    return text_holds(desk.session.help, words, "the help is", "no help is shown")


def expect_prompt(desk: DeskView, words: list[str]) -> Looked:
    """`prompt [PART]`: a prompt with this part in its text is open."""
    return text_holds(desk.prompt.in_words, words, "the prompt is", "no prompt is open")


def expect_slow_call(desk: DeskView, words: list[str]) -> Looked:
    """`slow_call [PART]`: a handler waits for a slow call with this part in its text."""
    texts = [call.text or call.name for call in desk.session.slow_calls]
    met = any(text_holds(text, words, "", "")[0] for text in texts)
    return met, f"handlers wait for {', '.join(texts)}" if texts else "no slow call waits"


def expect_button(desk: DeskView, words: list[str]) -> Looked:
    """`button CAPTION`: the open prompt has this button."""
    buttons = desk.prompt.buttons
    return words[0] in buttons, f"the buttons are {', '.join(buttons)}" if buttons else "no prompt is open"


def expect_outcome(desk: DeskView, words: list[str]) -> Looked:
    """`outcome VERDICT`: the first form closed with this verdict."""
    verdict = desk.outcome.verdict if desk.outcome is not None else None
    return verdict == words[0], f"it is {verdict}" if verdict else "the form is still open"


def expect_latch(desk: DeskView, words: list[str]) -> Looked:
    """`latch NAME`: this latch is set."""
    must_be_latch(desk, words[0])
    names = [seen.latch for seen in desk.latches]
    return words[0] in names, f"set: {', '.join(names)}" if names else "no latch is set"


def expect_record(desk: DeskView, words: list[str]) -> Looked:
    """`record POSITION`: the current record's position, such as "12 of 250"."""
    shown = desk.form.records.position_text
    return shown == words[0], f"it is {shown}"


def expect_row(desk: DeskView, words: list[str]) -> Looked:
    """`row SOURCE [COLUMN=VALUE…]`: the source has a row with these values."""
    source, wanted = words[0], [word.partition("=") for word in words[1:]]
    rows = rows_of(desk, source)
    columns = list(rows[0]) if rows else []
    for column, equals, _ in wanted:
        if not equals or (rows and column not in columns):
            hint = suggest(column, columns) if equals else "write COLUMN=VALUE"
            raise UnknownName(f"'{source}' has no column '{column}'; {hint}")
    differs = [[column for column, _, value in wanted if not same_plain(row[column], value)] for row in rows]
    count = differs.count([])
    if count:
        return True, f"{count} row{'s match' if count != 1 else ' matches'}"
    if not rows:
        return False, f"'{source}' has no rows"
    at = min(range(len(rows)), key=lambda at: len(differs[at]))
    described = ", ".join(f"{column} is {plain_word(rows[at][column])}" for column in differs[at])
    return False, f"none of the {len(rows)} rows matches; in the nearest, {described}"


def plain_word(value: object) -> str:
    """Return a row's value as a word of a cue sheet."""
    return "blank" if value is None or value == "" else str(value)


def same_plain(value: object, word: str) -> bool:
    """Return True if a row's value is what a word says."""
    if value is None or value == "":
        return word == ""
    if isinstance(value, bool):
        return YES_NO.get(word.lower()) is value
    if isinstance(value, int | float | Decimal):
        try:
            return PLAIN.parse_number(word) == value
        except Unparsable:
            return False
    if isinstance(value, time):
        return PLAIN.parse_time(word) == value
    return str(value) == word


def expect_written(desk: DeskView, words: list[str]) -> Looked:
    """`written SOURCE [COUNT]`: rows were written to the source."""
    rows_of(desk, words[0])
    count = sum(entry.kind == "write" and entry.name == words[0] for entry in desk.trace)
    described = f"{count} row{'s were' if count != 1 else ' was'} written to '{words[0]}'"
    return (str(count) == words[1] if len(words) > 1 else count > 0), described


def expect_letter(desk: DeskView, words: list[str]) -> Looked:
    """`letter [PART]`: a letter with this part in its subject or text was sent."""
    described = [f"{letter['Subject']}\n{letter.get_content()}" for letter in desk.letters if not letter.is_multipart()]
    subjects = ", ".join(f"'{letter['Subject']}'" for letter in desk.letters)
    return any(part_of(words) in text for text in described), f"sent: {subjects}" if subjects else "no letter was sent"


def expect_drawing(desk: DeskView, words: list[str]) -> Looked:
    """`drawing NAME`: a drawing with this name was made."""
    names = ", ".join(desk.drawings)
    return words[0] in desk.drawings, f"drawn: {names}" if names else "nothing was drawn"


def expect_refused(desk: DeskView, words: list[str]) -> Looked:
    """`refused STEP… [because PART]`: the user can't do this step."""
    step, part = step_and_reason(words)
    try:
        desk.step(*step)
    except Refused as refused:
        return part in str(refused), f"the reason was: {refused}"
    return False, "it was not refused"


def expect_failed(desk: DeskView, words: list[str]) -> Looked:
    """`failed STEP… [because PART]`: a handler or rule fails at this step, and it is undone."""
    step, part = step_and_reason(words)
    try:
        desk.step(*step)
    except (HandlerFailed, EffectFailed) as failed:
        return part in describe(failed.error), f"the error was: {describe(failed.error)}"
    return False, "it did not fail"


TARGETS: Final[Mapping[str, Callable[[DeskView, list[str]], Looked]]] = {
    "open": expect_open,
    "front": expect_front,
    "title": expect_title,
    "focus": expect_focus,
    "message": expect_message,
    "notice": expect_notice,
    "help": expect_help,
    "prompt": expect_prompt,
    "slow_call": expect_slow_call,
    "button": expect_button,
    "outcome": expect_outcome,
    "latch": expect_latch,
    "record": expect_record,
    "row": expect_row,
    "written": expect_written,
    "letter": expect_letter,
    "drawing": expect_drawing,
    "refused": expect_refused,
    "failed": expect_failed,
}
"""The expectations that aren't about a control."""


def expect_of(desk: DeskView, target: str, words: list[str]) -> Looked:
    """`[FORM.]NAME.PROPERTY WORD…`: a property of a control, or a value of the outcome."""
    path, _, prop = target.rpartition(".")
    if expected_rule(target) is OF_OUTCOME:
        return expect_outcome_value(desk, target.partition(".")[2], words)
    return PROPERTIES[prop](desk.session.control(path), words)


def expect_outcome_value(desk: DeskView, path: str, words: list[str]) -> Looked:
    """`outcome.NAME WORD`: a value of the first form's outcome."""
    outcome = desk.outcome
    if outcome is None:
        return False, "the form is still open"
    if path not in outcome.values:
        hint = suggest(path, outcome.values) if outcome.values else "a cancelled outcome has no values"
        raise UnknownName(f"the outcome has no value '{path}'; {hint}")
    control = controls_of(desk.session.first)[path]
    value = outcome.values[path]
    return same_value(control, value, words[0]), f"it is {shown(control, value)}"


def property_value(control: AnyControl, words: list[str]) -> Looked:
    """`NAME.value WORD…`: the value in plain formats; every item of a multiple choice."""
    has_value(control, "value")
    if isinstance(control.value, tuple):
        return [str(item) for item in control.value] == words, f"it is {', '.join(map(str, control.value)) or 'blank'}"
    if len(words) > 1:
        raise UnknownName(f"'{control.name}' has one value, not {len(words)}; quote text with spaces")
    return same_value(control, control.value, words[0]), f"it is {shown(control, control.value)}"


def property_text(control: AnyControl, words: list[str]) -> Looked:
    """`NAME.text WORD`: the text in the field."""
    has_value(control, "text")
    return control.text == words[0], "it is masked" if is_masked(control) else f"it is '{control.text}'"


def property_choices(control: AnyControl, words: list[str]) -> Looked:
    """`NAME.choices WORD…`: all choices, in order; without a word, any."""
    if not control.declared.offers:
        raise UnknownName(f"'{control.name}' has no choices ({control.declared.named})")
    texts = control.choices.shown()
    few = ", ".join(texts[:FEW]) + (f", … ({len(texts)} in all)" if len(texts) > FEW else "")
    return texts == words if words else bool(texts), f"choices: {few}" if texts else "no choices"


def property_choices_include(control: AnyControl, words: list[str]) -> Looked:
    """`NAME.choices_include WORD…`: these are among the choices."""
    _, described = property_choices(control, [])
    missing = [word for word in words if word not in control.choices.shown()]
    return not missing, f"{described}; without {', '.join(missing)}" if missing else described


def property_flag(name: str) -> Callable[[object, list[str]], Looked]:
    """`NAME.enabled [yes|no]`: a property that is true or false."""

    def look(control: AnyControl, words: list[str]) -> Looked:
        word = words[0] if words else "yes"
        if word.lower() not in YES_NO:
            raise UnknownName(f"'{word}' isn't 'yes' or 'no'")
        if not hasattr(control, name):
            raise UnknownName(f"'{control.name}' has no '{name}' ({control.declared.named})")
        actual = bool(getattr(control, name))
        return actual is YES_NO[word.lower()], f"it is {'' if actual else 'not '}{name}"

    return look


def property_marker(control: AnyControl, words: list[str]) -> Looked:
    """`NAME.marker [PART]`: a marker with this part in its text is shown."""
    if not control.declared.is_checked:
        raise UnknownName(f"'{control.name}' can't have a marker ({control.declared.named})")
    return text_holds(control.marker.text, words, "the marker is", "there is no marker")


def property_rows(control: AnyControl, words: list[str]) -> Looked:
    """`NAME.rows COUNT`: the number of lines, or of a table's rows."""
    if not (control.declared.has_lines or control.declared.has_columns):
        raise UnknownName(f"'{control.name}' has no rows ({control.declared.named})")
    count = len(control) if control.declared.has_lines else control.count
    return str(count) == words[0], f"there are {count}"


def property_word(name: str) -> Callable[[object, list[str]], Looked]:
    """`NAME.caption TEXT`: a property that is text."""

    def look(control: object, words: list[str]) -> Looked:
        actual = str(getattr(control, name))
        return actual == words[0], f"it is '{actual}'"

    return look


PROPERTIES: Final[Mapping[str, Callable[[object, list[str]], Looked]]] = {
    "value": property_value,
    "text": property_text,
    "choices": property_choices,
    "choices_include": property_choices_include,
    "rows": property_rows,
    "enabled": property_flag("enabled"),
    "visible": property_flag("visible"),
    "required": property_flag("required"),
    "read_only": property_flag("read_only"),
    "marker": property_marker,
    "caption": property_word("caption"),
    "tone": property_word("tone"),
}
"""The expectations about a control."""


def has_value(control: AnyControl, prop: str) -> None:
    """Refuse a property of values on a control without one."""
    if not control.declared.holds_value:
        raise UnknownName(f"'{control.name}' has no {prop} ({control.declared.named})")


def same_value(control: AnyControl, value: object, word: str) -> bool:
    """Return True if a value is what a word says, in plain formats. "" is blank."""
    if value is None or value == "":
        return word == ""
    if isinstance(value, bool):
        return YES_NO.get(word.lower()) is value
    if control.declared.offers or isinstance(value, str):
        return str(value) == word
    try:
        read: object = control.declared.parse(word, control, PLAIN)
    except Unparsable:
        return False
    return read == value


def shown(control: AnyControl, value: object) -> str:
    if value is None or value == "":
        return "blank"
    if is_masked(control):
        return "masked"
    return str(control.declared.show(value, PLAIN))
