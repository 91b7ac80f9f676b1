"""Fingerprints of sessions: what makes one state differ from another, in four layers.

Theory of operation
-------------------
Two sessions with the same fingerprint do the same whatever is done to them next, as far as the library can know. What is
derived isn't written down, since it follows from the rest. What is:

- *seen*: open forms, values, drafts, findings, focus, the pointer, messages and the prompt;
- *hidden in controls*: marked without a finding, a list that is open, what was set, the record that is shown;
- *of the session*: shared values, latches, plain attributes, params of forms;
- *parked*: for each handler that waits, its gesture, its queue with old and new values, and the locals of its frames.

A fingerprint is a digest of text, so that it is the same in each process, whatever the hash seed.
What lies outside the session (stores, latch logs, the clock) is added by whoever knows it.
"""

from __future__ import annotations

import datetime
from collections.abc import Mapping
from decimal import Decimal
from enum import Enum
from hashlib import blake2b
from typing import Any, Final

from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.engine.state.waiting import CallWait, DialogWait, PauseWait, PromptWait, Wait
from fuselatch.core.forms.container import RESERVED_ATTRIBUTES, Container
from fuselatch.core.forms.live_state import ControlState, FormState
from fuselatch.core.forms.shared import Shared
from fuselatch.core.model.cells import UNSEEN
from fuselatch.core.model.findings import Finding

DEEPEST: Final = 4
"""How deep objects within objects are looked at."""
PLAIN: Final = frozenset({int, float, bool, complex, bytes, Decimal, datetime.date, datetime.datetime, datetime.time,
                          datetime.timedelta})  # fmt: skip
"""Types whose `repr` is the same in each process."""
PACKAGE: Final = "fuselatch."
"""The modules whose frames aren't the developer's."""


def fingerprint(session: SessionState, outside: str = "") -> bytes:
    """Return a digest of the state of a session between two gestures. `outside`: what else may make it differ."""
    parts: list[str] = [outside]
    stack = session.stack
    for form in stack.forms:
        write_form(parts, form._state)
        message = session.messages.get(form)
        if message is not None and message[0]:
            parts.append(f"says {message[1]} {message[2]} {message[0]}")
    parts.append("front" if stack.front is None else plain_name(stack.front._state))
    if session.hovered is not None:
        parts.append(f"over {plain_name(session.hovered._state)}.{session.hovered.name}")
    if session.shared:
        parts.extend(sorted([f"{name_of_shared(each)} {stable(value)}" for each, value in session.shared.items()]))
    if session.session_latches:
        parts.extend(sorted([f"latch {place} {taken.answer}" for place, taken in session.session_latches.items()]))
    if session.last_entered:
        entered = session.last_entered
        parts.extend(sorted([f"last {form.__name__} {path} {stable(entered[form, path])}" for form, path in entered]))
    for wait in session.waits:
        write_wait(parts, wait)
    for wait in session.calls:
        write_wait(parts, wait)
    if session.broken:
        parts.append("broken")
    return blake2b("\0".join(parts).encode("utf-8", "surrogatepass"), digest_size=12).digest()


def plain_name(state: FormState) -> str:
    """Return a form's name without the number that tells a second opening of its class from the first."""
    return state.name.partition("#")[0]


def name_of_shared(shared: Shared[object]) -> str:
    """Return what tells a shared value from others."""
    return f"shared {shared.name} {shared.kind.__name__}"


def write_form(parts: list[str], state: FormState) -> None:
    """Add an open form."""
    parts.append(f"{plain_name(state)} {state.phase} {state.hidden} {state.select}")
    if state.opener is not None:
        parts.append(f"of {plain_name(state.opener._state)}")
    if state.title is not None:
        parts.append(state.title)
    focus = state.focus
    if focus is not None:
        parts.append(focus.name)
    records = state.records
    if records is not None:
        parts.append(f"record {stable(records._key)} {stable(records._row)} {stable(records._filters)}")
    for override in state.overrides:
        parts.append(f"confirmed {stable(override)}")
    for path, container in state.containers.items():
        # A line is told by its place: which number it was made with doesn't matter.
        write_plain(parts, state.nodes[path].name if "#" in path else path, container)
    for node in state.nodes.values():
        if node._set is not None:
            parts.append(f"{node.name} {stable(node._set)}")
    for each in state.order:
        control: ControlState = each
        write_control(parts, control)


def write_plain(parts: list[str], path: str, container: Container) -> None:
    """Add the plain attributes and params of a form or group."""
    plan = container._plan
    own = container.__dict__
    for name in own:
        if name in RESERVED_ATTRIBUTES or name in plan.controls or name in plan.groups or name in plan.custom_events:
            continue
        # A param can be anything, such as a whole list of vessels, and seldom changes: its items are told by their types.
        parts.append(f"{path}.{name} {stable(own[name], DEEPEST - 1 if name in plan.params else 0)}")


def write_control(parts: list[str], control: ControlState) -> None:
    """Add what differs from a control that was never touched."""
    value = control._value
    more = "".join([f" {word} {stable(held)}" for word, held in control._decl.hidden_state(control)])
    if (
        not more
        and value is None
        and control._draft is None
        and control._set is None
        and not control._findings
        and not control._marked
        and control._initial is UNSEEN
    ):
        return
    text = control.name + more
    if not control._rule:
        text += f"={stable(value)}"
    if control._draft is not None:
        text += f" typed {control._draft!r}"
    if control._findings:
        text += f" found {told(control._findings)}"
    if control._preview is not None:
        text += f" will find {told(control._preview)}"
    if control._marked:
        text += " marked"
    if control._listing:
        text += " open"
    if control._trouble is not None:
        text += " trouble"
    if control._initial is not UNSEEN:
        text += f" from {stable(control._initial)}"
    if control._set is not None:
        text += f" set {stable(control._set)}"
    parts.append(text)


def told(findings: tuple[Finding, ...]) -> str:
    """Return findings as text."""
    return " ".join([f"{finding.rule}:{finding.level}" for finding in findings])


def write_wait(parts: list[str], wait: Wait) -> None:
    """Add a wait: what is waited for, and what is left of the gesture."""
    turn = wait.turn
    parts.append(f"{turn.description} {turn.by} {wait.over}")
    if isinstance(wait, PromptWait):
        parts.append(f"asks {wait.title} {wait.text} {' '.join(wait.prompt.buttons)}")
    elif isinstance(wait, DialogWait):
        parts.append(f"waits for {plain_name(wait.child._state)}")
    elif isinstance(wait, PauseWait):
        parts.append(f"paused {wait.event.path}")
    elif isinstance(wait, CallWait):
        parts.append(f"calls {wait.call.name} {wait}")
    write_turn(parts, turn)


def write_turn(parts: list[str], turn: Turn) -> None:
    """Add what is left of a gesture that waits: its event, its queue, and the developer's frames with their locals."""
    event = turn.event
    while event is not None:
        parts.append(f"at {event.path} {stable(event.old)}")
        event = event._parent
    for event in turn.queue:
        parts.append(f"queued {event.path} {stable(event.old)}")
    # What is undone if it fails.
    for target, name, old in turn.undo:
        # No findings, and none that were looked for, are the same.
        if name != "_findings" or old or target._findings:
            parts.append(f"was {name_of(target)} {name} {stable(old or None) if name == '_findings' else stable(old)}")
    if turn.writes is not None:
        parts.extend([f"writes {change.source} {stable(change.key)} {stable(change.row)}" for change, _ in turn.writes])
    frame: Any = turn.worker.gr_frame if turn.worker is not None else None
    while frame is not None:
        if not str(frame.f_globals.get("__name__", "")).startswith(PACKAGE):
            parts.append(f"{frame.f_code.co_qualname} {frame.f_lasti} {stable(dict(frame.f_locals))}")
        frame = frame.f_back


def name_of(target: object) -> str:
    """Return what tells something that can be undone from others."""
    if isinstance(target, ControlState | Container):
        return stable(target)
    if isinstance(target, FormState):
        return plain_name(target)
    return str(getattr(target, "name", "")) or type(target).__name__


def stable(value: object, depth: int = 0) -> str:
    """Return text that is the same for equal values, in each process."""
    if value is None:
        return "-"
    kind = type(value)
    if kind is str:
        return repr(value)
    if kind in PLAIN:
        return repr(value)
    if isinstance(value, ControlState):
        return f"<{plain_name(value._state)}.{value.name}>"
    if isinstance(value, Container):
        return f"<{plain_name(value._state)}>"
    if depth >= DEEPEST:
        return f"<{kind.__name__}>"
    if isinstance(value, tuple | list):
        return f"[{' '.join([stable(each, depth + 1) for each in value])}]"
    if isinstance(value, Mapping):
        return " ".join(["{", *sorted([f"{stable(key, depth + 1)}:{stable(value[key], depth + 1)}" for key in value]), "}"])
    if isinstance(value, set | frozenset):
        return " ".join(["{", *sorted([stable(each, depth + 1) for each in value]), "}"])
    if isinstance(value, Enum | str | int | float):
        return f"{kind.__name__} {value!s}"
    if hasattr(value, "__fspath__"):
        return f"{kind.__name__} {value.__fspath__()}"
    if isinstance(value, type) or callable(value):
        return f"<{getattr(value, '__qualname__', kind.__name__)}>"
    inner = getattr(value, "__dict__", None)
    if inner is None:
        slots = getattr(kind, "__slots__", ())
        names = (slots,) if isinstance(slots, str) else tuple(slots)
        inner = {name: getattr(value, name) for name in names if hasattr(value, name) and not name.startswith("__")}
    return f"<{kind.__name__} {stable(dict(inner), depth + 1)}>"
