"""List the events of a control or form, their handlers, and stubs for the rest."""

from __future__ import annotations

from collections.abc import Iterator

from fuselatch.core.forms.form import Form, plan_of
from fuselatch.core.forms.plans import ControlPlan, Handler
from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.events import CONTROL_EVENTS, FORM_EVENTS
from fuselatch.core.model.names import suggest
from fuselatch.report.behaviour import placed, where


def describe_events(form: type[Form], name: str) -> Iterator[str]:
    """Yield every event of a control, or of the form by its name; raise `UnknownName`."""
    plan = plan_of(form)
    controls = dict(placed(plan))
    if name == plan.name:
        yield f"Events of {plan.name} (form)"
        yield from event_lines(dict(FORM_EVENTS), plan.heard, "Form", "", plan.name)
        return
    control = controls.get(name)
    if control is None:
        raise UnknownName(f"{plan.name} has no control '{name}'; {suggest(name, [*controls, plan.name])}")
    yield f"Events of {name} ({control.decl.kind})"
    known = {event: CONTROL_EVENTS.get(event, f"an event of {control.decl.named}") for event in raised(control)}
    yield from event_lines(known, control.heard, name.rpartition("[].")[2], name, plan.name)


def raised(control: ControlPlan) -> tuple[str, ...]:
    return control.raises or type(control.decl).events()


def event_lines(
    known: dict[str, str], heard: dict[str, tuple[Handler, ...]], owner: str, path: str, form: str
) -> Iterator[str]:
    """Yield a line for each event, then a stub for each without a handler."""
    wide = max((len(event) for event in known), default=0)
    for event, when in known.items():
        handlers = ", ".join(f"{handler.name.rpartition('.')[2]} ({where(handler)})" for handler in heard.get(event, ()))
        yield f"  {event:<{wide}}  {when}: {f'handled by {handlers}' if handlers else 'no handler'}"
    rest = [event for event in known if event not in heard]
    if rest:
        yield ""
        yield f"Handler stubs to copy into {form if '[]' not in path else 'the line'}:"
    for event in rest:
        name = f"{owner.replace('.', '_')}_{event}" if owner != "Form" else event
        yield ""
        yield f"    @{owner}.{event}"
        yield f"    def when_{name}(self, event: Event) -> None:"
        yield f'        """{known[event][:1].upper()}{known[event][1:]}."""'
