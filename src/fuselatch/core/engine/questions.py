"""Questions of whoever searches a session: what can be done, what is refused, what a value would be refused for.

Nothing here makes a gesture, runs a handler or changes anything. The tryout, searches and hosts stand on these questions.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import NamedTuple

from fuselatch.core.engine.rules.validation import findings_for
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.live_state import ControlState, current, seems_usable, seen
from fuselatch.core.forms.plans import ControlPlan
from fuselatch.core.model.choices import Choices
from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.names import suggest
from fuselatch.core.model.values import Value


class Entry(NamedTuple):
    """A control of an open form, for whoever looks for something to do with it.

    `accepts`: the verbs that its kind accepts. `typable`: text can be typed into it. `required`: True, False or "warn".
    `closes`: the verdict with which pressing it closes the form, or "". `live`: the live control.
    """

    name: str
    usable: bool
    is_input: bool
    accepts: frozenset[str]
    typable: bool
    required: bool | str
    value: Value
    closes: str
    submits: bool
    live: ControlState

    @property
    def plan(self) -> ControlPlan:
        """The plan of the control, with its declaration."""
        plan: ControlPlan = self.live._plan
        return plan

    @property
    def is_blank(self) -> bool:
        """True if the user sees nothing in it, or an unticked box."""
        value = self.value
        return value is None or value is False or value == () or (isinstance(value, str) and not value.strip())

    @property
    def choices(self) -> Choices[object] | None:
        """Its choices as they were last announced, or None if it has none."""
        choices: Choices[object] | None = seen(self.live, "choices") if self.live._plan.offers else None
        return choices


def entries_of(form: OpenForm) -> Iterator[Entry]:
    """Yield the controls of an open form in tab order, as they were last announced."""
    for each in form._state.order:
        yield entry_of(each)


def entry_of(control: ControlState) -> Entry:
    """Return one control, as it was last announced."""
    decl, plan = control._decl, control._plan
    return Entry(
        name=control.name,
        usable=seems_usable(control),
        is_input=plan.is_input,
        accepts=decl.accepts,
        typable=plan.typable,
        required=seen(control, "required") if plan.is_input else False,
        value=control._value,
        closes=decl.closes or "",
        submits=decl.submits,
        live=control,
    )


def findings_if(session: SessionState, form: OpenForm, values: Mapping[str, object]) -> dict[str, tuple[Finding, ...]]:
    """Return the findings that entries would have if they had these values, by name: their own, and where checks read them.

    Rules that read the values don't follow. Raises `UnknownName` for a control that the form doesn't have, and `TypeError`
    for a value of a wrong type.
    """
    state = form._state
    instead: dict[str, object] = {}
    shown: dict[ControlState, None] = {}
    for name, value in values.items():
        control = state.controls.get(name)
        if control is None or not control._plan.is_checked:
            known = [path for path, each in state.controls.items() if each._plan.is_checked]
            raise UnknownName(f"{state.name} has no entry '{name}'; {suggest(name, known)}")
        exact = control._decl.coerce(value)
        instead[name] = control._plan.blank if exact is None else exact
        shown.update(dict.fromkeys([control, *[state.controls[check.at] for check in control._plan.checked_by]]))
    port = session.port
    outer, port.tracker = port.tracker, None
    try:
        return {
            control.name: findings_for(session, control, instead.get(control._plan.path, current(control, "value")), instead)
            for control in shown
        }
    finally:
        port.tracker = outer
