"""Events: what they are called, which can be held, and the object that a handler receives."""

from __future__ import annotations

from typing import Any, Final, Literal, TypeAlias

from fuselatch.core.model.errors import NotAllowedHere
from fuselatch.core.model.names import suggest

By: TypeAlias = Literal["person", "program"]

CONTROL_EVENTS: Final = {
    "pointed": "the pointer has come to it",
    "unpointed": "the pointer has gone, or the control has",
    "entered": "the focus has come to the control",
    "typed": "its draft has changed by one key",
    "leaving": "the focus is about to leave it; can be held",
    "left": "the focus has left it",
    "changed": "its value differs from before",
    "clicked": "it has been pressed",
    "double_clicked": "it has been clicked twice",
    "line_starting": "a line is about to be started; can be held",
    "line_added": "a line has been started; `event.new` is the line",
    "line_removing": "a line is about to be removed, `event.old` is the line; can be held",
    "line_changed": "something in a line differs from before; `event.new` is the line",
}
"""The events of controls, with when each is raised."""

FORM_EVENTS: Final = {
    "opened": "the form has been opened, its defaults set",
    "clicked": "its surface has been clicked",
    "double_clicked": "its surface has been clicked twice",
    "fronted": "it is in front again",
    "record_shown": "another record is in hand, or a fresh one; `event.new` is its key",
    "accepting": "the form is in order and about to be accepted; can be held",
    "submitted": "its values have been taken",
    "closing": "it is about to close, `event.new` is the verdict; can be held",
    "closed": "it is closed",
}
"""The events of forms, with when each is raised."""

HOLDABLE: Final = frozenset({"leaving", "accepting", "closing", "line_starting", "line_removing"})


class Event:
    """One event, as a handler receives it.

    `name` is the bare word ("changed"); `form` the live form; `control` the live control (None for
    a form's event); `old` and `new` what it was and became (for `closing`, `new` is the verdict);
    `by` is "person" or "program".
    """

    __slots__ = (
        "_cause", "_depth", "_handler", "_number", "_parent", "_reason",
        "by", "control", "form", "name", "new", "old",
    )  # fmt: skip

    def __init__(
        self, name: str, form: Any, control: Any, old: Any, new: Any, by: By, cause: int, parent: Event | None, handler: Any
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
        self._reason: str | None = None

    def hold(self, reason: str) -> None:
        """Hold back what is about to happen; `reason` is shown to the person.

        Raises `NotAllowedHere` for an event that can't be held.
        """
        if self.name not in HOLDABLE:
            hint = suggest(self.name, sorted(HOLDABLE), "those that can are")
            raise NotAllowedHere(f"'{self.name}' can't be held: {hint}")
        if self._reason is None:
            self._reason = reason

    @property
    def payload(self) -> Any:
        """What a signal was sent with; None for every other event."""
        return self.new if self.control is None and self.name in self.form._state.plan.signals else None

    @property
    def path(self) -> str:
        """What the event is called in the trace: `vessel.changed`, `BookingForm.closing`."""
        return f"{self.control.name if self.control is not None else type(self.form).__name__}.{self.name}"

    def __repr__(self) -> str:
        return f"<Event {self.path} {self.old!r} → {self.new!r} by {self.by}>"
