"""A session for whoever asks about it: names, reasons, and what can be done."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from fuselatch.core.engine import runner
from fuselatch.core.engine.acting.pasting import has_secrets
from fuselatch.core.engine.engine import Engine
from fuselatch.core.engine.looking import why
from fuselatch.core.engine.looking.fingerprint import fingerprint
from fuselatch.core.engine.looking.naming import control_named, place_of_control
from fuselatch.core.engine.looking.possible import Act, possible_gestures, refused_entries
from fuselatch.core.engine.questions import Entry, entries_of, entry_of, findings_if
from fuselatch.core.engine.rules.afresh import Differing, differing
from fuselatch.core.engine.state.observer import Muting, Pausing
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.turn.prompting import name_of_prompt
from fuselatch.core.forms.attaching import OwnedEvent, heard_by
from fuselatch.core.forms.form import Form
from fuselatch.core.forms.live_state import is_masked
from fuselatch.core.forms.placing import placed_at
from fuselatch.core.model.errors import NotAllowedHere, UnknownName
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.outcome import Outcome


class ForQuestions:
    """A session for whoever asks about it."""

    _engine: Engine
    _state: SessionState

    @property
    def first(self) -> Form:
        """The form that the session was opened with."""
        first: Any = self._state.stack.first
        if first is None:
            raise NotAllowedHere("no form is open yet; open one of the offered forms")
        return first  # type: ignore[no-any-return]

    def why(self, what: str) -> str:
        """Explain why something is as it is: `why("berth.enabled")`, one line per cause.

        `what`: a property ("berth.enabled"), an event ("berth.changed"), a marker ("berth.marker"), a handler
        ("look_up_vessel") or a prompt ("too_long") of an open or closed form. Raises `UnknownName` for anything else.
        """
        self._state.workers.must_be_at_home()
        return why.answer(self._state, what)

    def resolve(self, control: object) -> tuple[Form | None, str]:
        """Return the form and the path that a control's name or declaration means.

        `Side.word` is the control `word` of the form with the name "Side" in the trace, or else of the front form of that
        class. Without a form's name it is the front form's. The form is None if no form is open. A path isn't looked up.
        Raises `UnknownName` for a declaration that no open form has.
        """
        place: Any = place_of_control(self._state, control)
        return place  # type: ignore[no-any-return]

    def control(self, name: str) -> Any:
        """Return the live control that a name means: "price", "Side.word", "extras[2].price". Raises `UnknownName`."""
        form, path = place_of_control(self._state, name)
        if form is None:
            raise UnknownName(f"no form is open, so there is no control '{name}'")
        return control_named(form, path)

    def masks(self, name: str, verb: str = "") -> bool:
        """Return True if a name means a control whose text isn't shown, such as a password.

        `verb`: what is done there; `paste_rows` may fill other entries, too.
        """
        if not self._state.port.has_masks:
            return False
        form, path = place_of_control(self._state, name)
        control = placed_at(form, path) if form is not None else None
        return control is not None and (is_masked(control) or (verb == "paste_rows" and has_secrets(control)))

    def named(self, id: str) -> tuple[str, str]:
        """Return the names that a lasting id of the view means now: the form's, and the control's ("" for a form).

        Raises `UnknownName` if it is no longer there.
        """
        serial, _, path = id.partition(".")
        for form in self._state.stack.forms:
            state = form._state
            if f"{state.serial}" == serial:
                live = state.controls.get(path) or state.nodes.get(path)
                if not path or live is not None:
                    return state.name, "" if live is None else live.name
        raise UnknownName(f"'{id}' is no longer there")

    def mute(self, handler: Callable[..., object], reason: str) -> None:
        """Don't run a handler from now on. The trace and `why` show the reason.

        Raises `UnknownName` if it isn't a handler.
        """
        function = getattr(handler, "__func__", handler)
        if not heard_by(function):
            raise UnknownName(f"{getattr(function, '__qualname__', function)} isn't a handler (no event is attached to it)")
        state = self._state
        if state.muting is None:
            state.muting = Muting()
            state.watch(state.muting)
        state.muting.reasons[function] = reason

    def pause_at(self, event: OwnedEvent, form: type[Form] | None = None) -> None:
        """Pause before an event from now on; `go_on` continues. A control's event needs `form`."""
        owner = event.owner
        kind = owner if isinstance(owner, type) else form or type(self.first)
        state = self._state
        if state.pausing is None:
            state.pausing = Pausing()
            state.watch(state.pausing)
        state.pausing.places.add((kind, "" if isinstance(owner, type) else owner.name, event.name))

    def go_on(self) -> None:
        """Continue after a pause. Raises the errors of the resumed handlers."""
        runner.go_on(self._state)

    # ---- for searches

    @property
    def is_broken(self) -> bool:
        """True if the library has failed in a gesture, so that the session can't be used any more."""
        return self._state.is_broken

    @property
    def front_form(self) -> Form | None:
        """The front form, or None if no form is open or all are hidden."""
        front: Any = self._state.stack.front
        return front  # type: ignore[no-any-return]

    @property
    def is_waiting(self) -> bool:
        """True while a handler waits for the user."""
        return bool(self._state.waits)

    @property
    def asked_as(self) -> str:
        """The declared name of the prompt that is open; "" if none is, or none declares it."""
        wait = self._state.prompt_wait
        return name_of_prompt(wait.form, wait.declared) if wait is not None and wait.form is not None else ""

    @property
    def offered(self) -> tuple[str, ...]:
        """The names of the forms that the user can open."""
        return tuple(self._state.offers.by_name)

    def possible_gestures(self) -> list[Act]:
        """Return the gestures that the user can make now: verb, control and text, in an order that doesn't change.

        `("type", NAME, "")` stands for any text in that entry. A list names a few items. Empty once all forms are closed.
        """
        return possible_gestures(self._state)

    def refused_entries(self) -> list[str]:
        """Return the entries of the front form that would be refused now: by what was found, or because they are blank."""
        return refused_entries(self._state)

    def entries(self, form: Form | None = None) -> list[Entry]:
        """Return the controls of a form (default: the front form) in tab order, as they were last announced."""
        form = form or self.front_form
        return [] if form is None else [*entries_of(form)]

    def entry(self, name: str) -> Entry:
        """Return one control of the front form. Raises `UnknownName`."""
        return entry_of(self.control(name))

    def findings_for(self, values: Mapping[str, object]) -> dict[str, tuple[Finding, ...]]:
        """Return the findings that entries of the front form would have with these values, by name; nothing is changed.

        Those of the entries themselves are in it, and those of other entries whose checks read them. Rules that read the
        values don't follow. Raises `UnknownName` for an unknown entry, `TypeError` for a value of a wrong type.
        """
        self._state.workers.must_be_at_home()
        front = self.front_form
        if front is None:
            raise NotAllowedHere("no form is in front")
        return findings_if(self._state, front, values)

    def fingerprint(self, outside: str = "") -> bytes:
        """Return a digest of the session's state between two gestures. `outside`: what else may make it differ."""
        return fingerprint(self._state, outside)

    def untracked(self) -> list[Differing]:
        """Return the derived properties of open forms whose rules return something else when they run again."""
        return differing(self._state)

    def outcome_of(self, form: Form) -> Outcome | None:
        """Return what a form was last submitted or closed with, or None."""
        return form._state.outcome
