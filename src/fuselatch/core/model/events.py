"""Events: their names, which can be blocked, and the object that a handler gets."""

from __future__ import annotations

from typing import Any, Final, Literal, TypeAlias

from fuselatch.core.model.errors import NotAllowedHere
from fuselatch.core.model.names import suggest

By: TypeAlias = Literal["user", "program"]

CONTROL_EVENTS: Final = {
    "hovered": "the pointer is over the control",
    "unhovered": "the pointer left, or the control disappeared",
    "entered": "the control got the focus",
    "typed": "the user typed a key",
    "leaving": "the focus is about to leave (can be blocked)",
    "left": "the focus left",
    "changed": "the value changed",
    "clicked": "the button was pressed",
    "double_clicked": "the user double-clicked",
    "line_adding": "a line is about to be added (can be blocked)",
    "line_added": "a line was added: `event.new`",
    "line_removing": "a line is about to be removed: `event.old` (can be blocked)",
    "line_changed": "a value in a line changed: `event.new`",
}
"""The events of controls, and when each is raised."""

FORM_EVENTS: Final = {
    "opened": "the form opened and its defaults are set",
    "clicked": "the user clicked an empty part of the form",
    "double_clicked": "the user double-clicked an empty part of the form",
    "brought_to_front": "the form came to the front",
    "record_shown": "another record, or a new one, was shown: `event.new` is its key",
    "accepting": "all checks passed; the form is about to be accepted (can be blocked)",
    "submitted": "the form was accepted and its values are saved in the outcome",
    "closing": "the form is about to close; `event.new` is the verdict (can be blocked)",
    "closed": "the form closed",
}
"""The events of forms, and when each is raised."""

BLOCKABLE: Final = frozenset({"leaving", "accepting", "closing", "line_adding", "line_removing"})


class Event:
    """An event, as a handler gets it.

    `name`: "changed". `form`: the live form. `control`: the live control, or None for a form's event.
    `old`, `new`: the values before and after; for `closing`, `new` is the verdict. `by`: "user" or "program".
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
    def payload(self) -> Any:
        """A custom event's payload; None for any other event."""
        return self.new if self.control is None and self.name in self.form._state.plan.custom_events else None

    @property
    def path(self) -> str:
        """The event's name in the trace: `vessel.changed`, `BookingForm.closing`."""
        return f"{self.control.name if self.control is not None else type(self.form).__name__}.{self.name}"

    def __repr__(self) -> str:
        return f"<Event {self.path} {self.old!r} → {self.new!r} by {self.by}>"
