"""Events: their names, which can be blocked, and the object that a handler gets."""

from __future__ import annotations

from typing import Any, Final, Literal, NamedTuple, TypeAlias

from fuselatch.core.model.errors import NotAllowedHere
from fuselatch.core.model.names import suggest
from fuselatch.core.model.values import Value

By: TypeAlias = Literal["user", "program"]


class EventKind(NamedTuple):
    """One event: who raises it, when, if a handler can block it, and the words of a step that raises it.

    `by`: "control" or "form". `step`: with PATH for the control and TEXT for something to enter.
    """

    name: str
    by: str
    when: str
    step: str
    blockable: bool = False


EVENTS: Final = (
    EventKind("hovered", "control", "the pointer is over the control", "hover PATH"),
    EventKind("unhovered", "control", "the pointer left, or the control disappeared", "unhover"),
    EventKind("entered", "control", "the control got the focus", "focus PATH"),
    EventKind("typed", "control", "the user typed a key", "type PATH TEXT"),
    EventKind("leaving", "control", "the focus is about to leave", "focus PATH", True),
    EventKind("left", "control", "the focus left", "focus PATH"),
    EventKind("changed", "control", "the value changed", "ENTER PATH TEXT"),
    EventKind("clicked", "control", "the button was pressed", "press PATH"),
    EventKind("double_clicked", "control", "the user double-clicked", "double PATH"),
    EventKind("line_adding", "control", "a line is about to be added", "add_line PATH", True),
    EventKind("line_added", "control", "a line was added: `event.new`", "add_line PATH"),
    EventKind("line_removing", "control", "a line is about to be removed: `event.old`", "remove_line PATH[0]", True),
    EventKind("line_changed", "control", "a value in a line changed: `event.new`", "add_line PATH"),
    EventKind("opened", "form", "the form opened and its defaults are set", ""),
    EventKind("clicked", "form", "the user clicked an empty part of the form", "press"),
    EventKind("double_clicked", "form", "the user double-clicked an empty part of the form", "double"),
    EventKind("brought_to_front", "form", "the form came to the front", ""),
    EventKind("record_shown", "form", "another record, or a new one, was shown: `event.new` is its key", "record next"),
    EventKind("restarted", "form", "a form without records started again after a submit", "SUBMIT"),
    EventKind("accepting", "form", "all checks passed; the form is about to be accepted", "SUBMIT", True),
    EventKind("submitted", "form", "the form was accepted and its values are saved in the outcome", "SUBMIT"),
    EventKind("closing", "form", "the form is about to close; `event.new` is the verdict", "close", True),
    EventKind("closed", "form", "the form closed", "close"),
    EventKind("idle", "form", "the user did nothing for as many seconds as the form's option `idle`", ""),
)
"""All events. Controls raise those that their kind declares, forms all of theirs."""


def heard_as(name: str, is_custom: bool = False) -> str:
    """Return the name under which a form's handlers of an event are kept.

    A custom event may have the name of a built-in one, which may be newer than the form.
    """
    return f"own {name}" if is_custom and name in FORM_EVENTS else name


def described(by: str) -> dict[str, str]:
    """Return the events that are raised by controls or by forms, and when."""
    return {each.name: f"{each.when} (can be blocked)" if each.blockable else each.when for each in EVENTS if each.by == by}


CONTROL_EVENTS: Final = described("control")
FORM_EVENTS: Final = described("form")
POINTED: Final = ("hovered", "unhovered", "clicked", "double_clicked")
"""The events of the pointer, which a front end raises only if they have a handler."""
BLOCKABLE: Final = frozenset(each.name for each in EVENTS if each.blockable)


class Event:
    """An event, as a handler gets it.

    `name`: "changed". `form`: the live form. `control`: the live control, or None for a form's event.
    `old`, `new`: the values before and after; for `closing`, `new` is the verdict. `by`: "user" or "program".
    """

    __slots__ = (
        "_cause", "_custom", "_depth", "_handler", "_number", "_parent", "_reason",
        "by", "control", "form", "name", "new", "old",
    )  # fmt: skip

    def __init__(
        self,
        name: str,
        form: Any,
        control: Any,
        old: Value,
        new: Value,
        by: By,
        cause: int,
        parent: Event | None,
        handler: Any,
    ) -> None:
        self.name = name
        self.form = form
        self.control = control
        self.old = old
        self.new = new
        self.by: By = by
        self._cause = cause
        self._parent = parent
        self._handler = handler
        self._depth: int = 0 if parent is None else parent._depth + 1
        self._number = 0
        self._custom = False
        self._reason: str | None = None

    def block(self, reason: str) -> None:
        """Block the event. The user sees `reason`.

        Raises `NotAllowedHere` for an event that can't be blocked.
        """
        if self.name not in BLOCKABLE:
            hint = suggest(self.name, sorted(BLOCKABLE))
            raise NotAllowedHere(f"'{self.name}' can't be blocked; {hint}")
        if self._reason is None:
            self._reason = reason

    @property
    def payload(self) -> Value:
        """A custom event's payload; None for any other event."""
        return self.new if self._custom else None

    @property
    def path(self) -> str:
        """The event's name in the trace: `vessel.changed`, `BookingForm.closing`."""
        return f"{self.control.name if self.control is not None else type(self.form).__name__}.{self.name}"

    def __repr__(self) -> str:
        return f"<Event {self.path} {self.old!r} → {self.new!r} by {self.by}>"
