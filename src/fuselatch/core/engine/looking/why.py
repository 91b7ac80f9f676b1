"""Explain why something is as it is, back to the user's gesture."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import Any, Final

from fuselatch.core.engine.looking.naming import form_and_rest, front_first, last_entry, last_row, named_at, trace_rows
from fuselatch.core.engine.state.observer import Muting
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.controls import Live
from fuselatch.core.forms.live_state import AnyControl, ControlState, is_masked
from fuselatch.core.forms.placing import placed_at
from fuselatch.core.forms.plans import CheckPlan, Handler
from fuselatch.core.forms.rules import Constant
from fuselatch.core.model.cells import UNSEEN
from fuselatch.core.model.errors import NotAllowedHere, UnknownName
from fuselatch.core.model.events import CONTROL_EVENTS, FORM_EVENTS
from fuselatch.core.model.names import closest, first_few, suggest
from fuselatch.core.model.properties import ASKED, ENTERED
from fuselatch.core.model.trace import TraceEntry
from fuselatch.core.model.trace_rows import freeze
from fuselatch.core.model.visible import visible
from fuselatch.core.model.words import phrase, value_text


def answer(session: SessionState, what: str) -> str:
    """Answer a question such as "berth.enabled"; raise `UnknownName` if it can't be."""
    return "\n".join(map(visible, lines(session, what.strip())))


def lines(session: SessionState, what: str) -> Iterator[str]:
    """Yield the answer, one line per cause."""
    form, name = form_and_name(session, what)
    state = form._state
    path, dot, prop = name.rpartition(".")
    control = placed_at(form, path)
    if dot and control is not None and prop in ASKED:
        yield from of_property(session, control, prop)
    elif dot and control is not None and control._plan.is_checked and prop in ("marker", "findings"):
        yield from of_marker(session, control)
    elif dot and control is not None and prop in CONTROL_EVENTS:
        yield from of_event(session, form, control, prop)
    elif name in state.plan.handlers:
        yield from of_handler(session, form, state.plan.handlers[name])
    elif name in state.plan.prompts:
        yield from of_prompt(session, form, name)
    elif name in FORM_EVENTS or name in state.plan.custom_events:
        yield from of_event(session, form, None, name)
    else:
        raise UnknownName(f"can't explain '{what}'; {hint(form, path, control, name)}")


def form_and_name(session: SessionState, what: str) -> tuple[OpenForm, str]:
    """Return the form that a question is about (default: the front form) and the rest."""
    forms = (*front_first(session), first_form(session))
    form, name = form_and_rest(forms, what)
    assert form is not None, "there is a first form"
    return form, name


def first_form(session: SessionState) -> OpenForm:
    """Return the form that the session was opened with."""
    first = session.stack.first
    if first is None:
        raise NotAllowedHere("no form is open yet; open one of the offered forms")
    return first


def hint(form: OpenForm, path: str, control: object, name: str) -> str:
    """Return what could be asked instead; `path` and `control` are what stands before the last dot."""
    plan = form._state.plan
    if path and control is None:
        close = closest(path, plan.controls)
        return f"did you mean '{close}.{name.rpartition('.')[2]}'?" if close else suggest(path, plan.controls)
    shown_at = next((at for at, each in plan.controls.items() if any(check.name == name for check in each.checks)), None)
    if shown_at is not None:
        return f"it is a check; ask about {shown_at}.marker"
    asked = questions_of(control if path else placed_at(form, name))
    if not asked:
        values = (f"{name}.{'value' if each.decl.holds_value else 'enabled'}" for name, each in plan.controls.items())
        asked = [*plan.handlers, *plan.prompts, *plan.custom_events, *values]
    close = closest(name, [*asked, *plan.controls])
    if close in (None, name):
        return f"choose from {first_few(asked)}"
    # A control's name alone can't be explained either.
    return f"did you mean '{questions_of(placed_at(form, close))[0] if close in plan.controls else close}'?"


def questions_of(control: AnyControl) -> list[str]:
    """Return what can be asked about a control, the most asked first."""
    if control is None:
        return []
    entry = control._plan.is_input
    props = [prop for prop in ASKED if hasattr(type(control), prop)]
    asked = [*(["value", "enabled", "marker"] if entry else ["enabled", "visible"]), *control._plan.raises, *props]
    return [f"{control.name}.{prop}" for prop in dict.fromkeys(asked)]


def of_property(session: SessionState, control: ControlState, prop: str) -> Iterator[str]:
    masked = prop == "value" and is_masked(control)
    now = "masked" if masked else value_text(freeze(control._current(prop)))
    yield f"{control.name}.{prop} is {now}"
    entry = last_entry(session, "change", control, prop)
    if entry is not None:
        yield from chain(session, entry)
    cells = control._cells or {}
    if isinstance(control._decl.rules.get(prop), Constant):
        yield "  as declared"
    elif prop in cells:
        inputs = cells[prop].inputs.items()
        reads = ", ".join(f"{node.name}.{key} ({seen_text(node, key, seen)})" for (node, key), seen in inputs)
        yield f"  set by its rule, which reads {reads or 'no tracked values'}"
    elif entry is None:
        yield "  as declared" if prop != "value" else "  not set since the form opened"
    draft = getattr(control, "_draft", None)
    if is_masked(control):
        draft = None
    if prop == "value" and draft is not None:
        yield (
            f"  the user is still typing: '{draft}'"
            if control._trouble is None
            else f"  the typed text is invalid: {control._trouble.text}"
        )
    outer = control._outer
    if prop in ("enabled", "visible") and outer is not None and not getattr(outer, prop):
        yield f"  its group '{outer.name}' is not {prop}:"
        yield from (f"  {line}" for line in of_property(session, outer, prop))


def seen_text(node: Any, prop: str, seen: object) -> str:
    """Return what a rule saw of an input; a `derive` rule notes no values, so it is what there is now."""
    if prop in ENTERED and isinstance(node, ControlState) and is_masked(node):
        return "masked"
    return value_text(freeze(node._current(prop) if seen is UNSEEN else seen))


def of_marker(session: SessionState, control: AnyControl) -> Iterator[str]:
    findings = control.findings
    marker = control.marker
    if marker:
        yield f"{control.name} shows the marker: {marker.text}"
    elif findings:
        yield f"{control.name} has no marker yet: the user hasn't left it or tried to accept"
    else:
        yield f"{control.name} has no marker: no problems found"
    for finding in findings:
        yield f"  {finding.rule}: {finding.text}"
        number = last_entry(session, "finding", control, finding.rule)
        if number is not None:
            yield from chain(session, number)
    if not control._is_usable:
        yield "  not checked: it is disabled or hidden"
        return
    rules = {finding.rule for finding in findings}
    for check in control._plan.checks:
        if check.name not in rules:
            yield f"  {check.name}: {passed(control, check)}"
    if not findings:
        yield f"  its value is {value_text(freeze(control._current('value')))}"


def passed(control: Live, check: CheckPlan) -> str:
    """Return the values that a check passed with, or why it wasn't run."""
    state = control.form._state
    values: dict[str, object] = {path: state.controls[path]._current("value") for path in check.controls}
    blank = [path for path, value in values.items() if value == state.controls[path]._plan.blank and value is not False]
    if blank and not check.blanks:
        return f"not checked: {' and '.join(blank)} {'is' if len(blank) == 1 else 'are'} blank"
    return f"passed with {', '.join(f'{path} {value_text(freeze(value))}' for path, value in values.items())}"


def of_event(session: SessionState, form: OpenForm, control: Live | None, name: str) -> Iterator[str]:
    path = control.name if control is not None else ""
    described = f"{path or type(form).__name__}.{name}"
    number = (
        last_row(session, "event", form._state.name, path, name)
        if control is None
        else last_entry(session, "event", control, name)
    )
    heard = (control._plan.heard if control is not None else form._state.plan.heard).get(name, ())
    named_now: Callable[[int], str] = (lambda at: path) if control is None else partial(named_at, control)
    undone = next(
        (at for at, row in trace_rows(session, "event") if row[2:5] == (form._state.name, named_now(at), name)), None
    )
    if number is None and undone is not None:
        yield from told_undone(session, f"{described} was raised", undone)
    elif number is None:
        yield f"{described} was not raised"
        if control is not None and name not in control._plan.raises:
            yield f"  {control._decl.named} has no such event"
        elif name == "changed" and control is not None:
            yield f"  {path} has been {value_text(freeze(control._current('value')))} since the form opened"
    else:
        yield f"{described} was last raised in entry {number}"
        yield from chain(session, number)
    for handler in heard:
        muted = muted_because(session, handler)
        yield f"  {handler.name} is muted: {muted}" if muted is not None else f"  handled by {handler.name}"
    if not heard:
        yield "  no handler"


def of_handler(session: SessionState, form: OpenForm, handler: Handler) -> Iterator[str]:
    state = form._state
    ran = [at for at, row in trace_rows(session, "handler") if row[4] == handler.name and row[2] == state.name]
    number = next((at for at in ran if session.trace.undone_by(at) is None), None)
    muted = muted_because(session, handler)
    if muted is not None:
        yield f"{handler.name} is muted: {muted}"
    for wait in session.calls:
        if wait.form is form and wait.call.handler == handler.name and not wait.over:
            yield f"{handler.name} waits for {wait} since entry {wait.number}"
    if number is not None:
        yield f"{handler.name} last ran in entry {number}"
        yield from chain(session, number)
        return
    if ran:
        yield from told_undone(session, f"{handler.name} ran", ran[0])
    elif muted is None:
        yield f"{handler.name} did not run"
    placed = {control.name: control._plan for control in state.order}
    heard = [
        (path, event) for path, plan in placed.items() for event, handlers in plan.heard.items() if named(handlers, handler)
    ]
    heard += [("", event) for event, handlers in state.plan.heard.items() if named(handlers, handler)]
    for path, event in heard:
        what = f"{path or type(form).__name__}.{event}"
        wanted = (state.name, path, event)
        raised = next((at for at, row in trace_rows(session, "event") if row[2:5] == wanted), None)
        if raised is None:
            yield f"  it handles {what}, which was not raised"
            continue
        failed = None if ran or muted is not None else failed_before(session, raised)
        if failed is not None:
            yield f"  it handles {what}, which was raised in entry {raised}; {failed} failed before it"
        elif session.trace.undone_by(raised) is None:
            yield f"  it handles {what}, which was raised in entry {raised}"


def told_undone(session: SessionState, what: str, number: int) -> Iterator[str]:
    """Yield that something happened, but was undone."""
    by = session.trace.undone_by(number)
    yield f"{what} in entry {number}, but that was undone:"
    if by is not None:
        yield f"  {phrase(session.trace[by - 1])}"


def failed_before(session: SessionState, raised: int) -> str | None:
    """Return the handler whose failure kept others of an event from running, or None."""
    undone = session.trace.undone_by(raised)
    if undone is None:
        return None
    handlers = [at for at, row in trace_rows(session, "handler") if row[0] == raised]
    return str(session.trace[handlers[0] - 1].name) if handlers else None


def muted_because(session: SessionState, handler: Handler) -> str | None:
    """Return the reason that a handler is muted for, or None."""
    reasons = (observer.reasons.get(handler.function) for observer in session.observers if isinstance(observer, Muting))
    return next((reason for reason in reasons if reason is not None), None)


def named(found: tuple[Handler, ...], handler: Handler) -> bool:
    return any(one.function is handler.function for one in found)


def of_prompt(session: SessionState, form: OpenForm, name: str) -> Iterator[str]:
    number = next((at for at, row in trace_rows(session, "prompt") if row[2:4] == (form._state.name, name)), None)
    if number is None:
        yield f"the prompt '{name}' was not shown"
        for handler in form._state.plan.handlers.values():
            if name in handler.function.__code__.co_names:
                yield from (f"  {line}" for line in of_handler(session, form, handler))
        return
    yield f"the prompt '{name}' was last shown in entry {number}"
    yield from chain(session, number)
    given = answer_to(session, number)
    yield f"  the answer was '{given[6]}'" if given is not None else "  not answered"


def answer_to(session: SessionState, number: int) -> Any:
    """Return the entry of the answer to the prompt of an entry, or None. Prompts within prompts are answered first."""
    asked, title = 0, session.trace[number - 1].name
    for row in session.trace.rows[number:]:
        if row[1] == "prompt":
            asked += 1
        elif row[1] == "answer":
            if asked == 0:
                return row if row[4] == title else None
            asked -= 1
    return None


def chain(session: SessionState, number: int) -> Iterator[str]:
    """Yield an entry and its causes, back to the gesture."""
    numbers = [number]
    while (cause := session.trace[numbers[-1] - 1].cause) != 0:
        numbers.append(cause)
    # A blown fuse leaves thousands: the nearest and the first ones say what there is to say.
    left_out = len(numbers) - MOST_CAUSES
    for at, number in enumerate(numbers):
        if 0 < left_out and MOST_CAUSES - 3 <= at < len(numbers) - 3:
            if at == MOST_CAUSES - 3:
                folded = [session.trace.rows[one - 1][1:5] for one in numbers[at : len(numbers) - 3]]
                yield f"  … {left_out} more{', round and round' if len({*folded}) < len(folded) else ''}"
            continue
        entry: TraceEntry = session.trace[number - 1]
        described = typed_in_full(session, number) if entry.kind == "gesture" else ""
        yield f"  {'caused by' if at else 'at'} entry {number}: {described or phrase(entry)}"


MOST_CAUSES: Final = 8
"""The most causes that are listed."""


def typed_in_full(session: SessionState, number: int) -> str:
    """Return the last of the keys typed at one control, which names all of them; "" for any other gesture."""
    rows = session.trace.rows
    _, _, _, control, first, _, _ = rows[number - 1]
    start = f"type {control} "
    if not first.startswith(start):
        return ""
    described = first
    for _, kind, _, at, name, _, _ in rows[number:]:
        if kind == "gesture":
            if at != control or not name.startswith(start):
                break
            described = name
    return str(described)
