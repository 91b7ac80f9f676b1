"""The open forms: which is in front, and what covers or hides another."""

from __future__ import annotations

from typing import TYPE_CHECKING

from fuselatch.core.engine.state.waiting import DialogWait
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.model.cells import Undoable

if TYPE_CHECKING:
    from fuselatch.core.engine.state.session_state import SessionState
    from fuselatch.core.engine.state.turns import Turn


class FormStack(Undoable):
    """The open forms: which is in front, and what covers or hides another."""

    __slots__ = ("brought_to_front", "counts", "first", "forms", "front", "opened", "session", "unsettled")

    def __init__(self, session: SessionState) -> None:
        self.session = session
        # From back to front; closed forms leave it.
        self.forms: tuple[OpenForm, ...] = ()
        # The last of `forms` that isn't hidden: `find_front` keeps it so.
        self.front: OpenForm | None = None
        # The form that the session was opened with, whose outcome is the session's.
        self.first: OpenForm | None = None
        # The front form for which `brought_to_front` was last raised.
        self.brought_to_front: OpenForm | None = None
        # True if focus, pointer or front may not fit the forms any more: the turn takes its last steps.
        self.unsettled = False
        # How many forms were opened, in all and of each class; never undone, so that names and numbers stay unique.
        self.opened = 0
        self.counts: dict[str, int] = {}

    def next_serial(self, form: type[OpenForm]) -> tuple[int, str]:
        """Return a form's number and its name in the trace."""
        count = self.counts[form.__name__] = self.counts.get(form.__name__, 0) + 1
        self.opened += 1
        return self.opened, form.__name__ if count == 1 else f"{form.__name__}#{count}"

    def find_front(self) -> None:
        """Find the front form: the last that isn't hidden."""
        self.unsettled = True
        for form in reversed(self.forms):
            if not self.hidden(form):
                self.front = form
                return
        self.front = None

    def lead_out(self, turn: Turn) -> bool:
        """Show forms again that handlers have hidden, if the user has no other in front; return True if there were any.

        One that is offered by name can be reached. One that was hidden from outside is shown again from there.
        """
        waits = self.session.waits
        if waits and (waits[-1].over or not isinstance(waits[-1], DialogWait)):
            # The turn that waits, the innermost, may show one itself.
            return False
        inside = False
        for form in reversed(self.forms):
            if self.front is not None and not self.covered(self.front):
                break
            state = form._state
            reached = not waits and self.session.offers.has(type(form))
            if state.hidden and not (state.kept_hidden or reached or self.covered(form)):
                inside = True
                turn.note_form("change", form, "hidden", True, False)
                turn.set(state, "hidden", False)
                self.find_front()
        return inside

    def hidden(self, form: OpenForm) -> bool:
        """Return True if a form is hidden, by itself or by a form that it opened."""
        if form._state.hidden:
            return True
        for other in self.forms:
            if other._state.manner.hiding and other._state.opener is form:
                return True
        return False

    def covered(self, form: OpenForm) -> bool:
        """Return True if a prompt, pause or modal dialog covers the form."""
        for wait in reversed(self.session.waits):
            if wait.over:
                continue
            if isinstance(wait, DialogWait):
                return form._state.serial < wait.child._state.serial
            return True
        return False

    def bring_to_front(self, turn: Turn, form: OpenForm) -> None:
        """Put a form in front."""
        self._put(turn, (*[other for other in self.forms if other is not form], form))

    def take_away(self, turn: Turn, form: OpenForm) -> None:
        """Remove a closed form."""
        self._put(turn, tuple(other for other in self.forms if other is not form))

    def _put(self, turn: Turn, forms: tuple[OpenForm, ...]) -> None:
        turn.set(self, "forms", forms)
        self.find_front()
        self.session.open_forms.differs(turn.cause)

    def drop(self, form: OpenForm) -> None:
        """Remove a form whose opening is undone. Another gesture may have changed the forms since."""
        self.forms = tuple(other for other in self.forms if other is not form)  # not undone: this is the undo
        self._restored("forms")

    def _restored(self, name: str) -> None:
        if name == "forms":
            self.find_front()
            self.session.open_forms.differs()
