"""Observers: whoever wants to know what a session does, or to hold it up.

Coverage, muting, pausing, stepping and front ends all derive from one class.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.plans import Handler
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.model.events import By, Event
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.record_changes import Change
from fuselatch.core.model.slow_calls import End, SlowCall


class Observer:
    """Watches a session: `Session(BookingForm, observers=(coverage,))`. Derive from it and override what you need.

    An observer changes nothing. If one raises, the gesture fails as if a handler had raised.
    """

    def began(self, gesture: str, by: By) -> None:
        """A gesture, in words, begins."""

    def ended(self, gesture: str, error: BaseException | None) -> None:
        """A gesture is finished. `error`: what it ended with."""

    def opened(self, form: OpenForm) -> None:
        """A form opened; its rules haven't run yet."""

    def closed(self, form: OpenForm, verdict: str) -> None:
        """A form closed."""

    def before_event(self, event: Event, queued: tuple[str, ...]) -> bool:
        """Return True to pause before an event. `queued`: the events behind it, by path.

        If this is overridden, all events come here, also those without a handler.
        """
        return False

    def before_handler(self, handler: Handler, event: Event) -> str | None:
        """Return the reason not to run a handler, or None."""
        return None

    def ran(self, handler: Handler, event: Event) -> None:
        """A handler runs."""

    def blocked(self, handler: Handler, event: Event, reason: str) -> None:
        """A handler isn't run."""

    def vetoed(self, handler: Handler, event: Event, reason: str) -> None:
        """A handler blocked an event."""

    def computed(self, form: OpenForm, path: str, prop: str, value: object) -> None:
        """A rule was computed. `path`: its control's name ("": the form's title)."""

    def validated(self, control: object, passed: Sequence[str], failed: Sequence[Finding]) -> None:
        """A control was validated. `passed`: the rules and checks that ran and found nothing, by name."""

    def asked(self, form: OpenForm, name: str, prompt: Prompt) -> None:
        """A prompt is shown. `name`: its declared name, or ""."""

    def answered(self, form: OpenForm, name: str, prompt: Prompt, answer: str) -> None:
        """A prompt was answered."""

    def called(self, form: OpenForm, call: SlowCall) -> None:
        """A handler starts a slow call, and waits for it."""

    def call_ended(self, form: OpenForm, call: SlowCall, how: End) -> None:
        """A slow call ended."""

    def latched(self, form: OpenForm, latch: str, answer: str | None) -> None:
        """A latch was set with an answer, or reset (None)."""

    def wrote(self, change: Change) -> None:
        """A change was written to the store."""

    def failed(self, error: BaseException) -> None:
        """A gesture failed; it is undone."""


class OnFailure(Observer):
    """Calls a function with the error of each gesture that failed."""

    def __init__(self, call: Callable[[BaseException], object]) -> None:
        self.call = call

    def failed(self, error: BaseException) -> None:
        """Call it."""
        self.call(error)


class Muting(Observer):
    """Doesn't run some handlers. `reasons`: by function."""

    def __init__(self, reasons: dict[Callable[..., object], str] | None = None) -> None:
        self.reasons = {} if reasons is None else reasons

    def before_handler(self, handler: Handler, event: Event) -> str | None:
        """Return the reason for a muted handler."""
        return self.reasons.get(handler.function)


class Pausing(Observer):
    """Pauses before events: (form class, control's path or "", event)."""

    def __init__(self) -> None:
        self.places: set[tuple[type, str, str]] = set()

    def before_event(self, event: Event, queued: tuple[str, ...]) -> bool:
        """Return True before one of its events."""
        path = event.control.name if event.control is not None else ""
        return any((kind, path, event.name) in self.places for kind in type(event.form).__mro__)
