"""Coverage of behaviour: what rehearsals tried of the forms they opened."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final, NamedTuple

from fuselatch.core.engine.state.observer import Observer
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.form import plan_of
from fuselatch.core.forms.live_state import AnyControl
from fuselatch.core.forms.plans import ControlPlan, FormPlan, Handler
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.kinds.lines import Lines
from fuselatch.core.model.events import By, Event
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.json_text import Plain
from fuselatch.core.model.outcome import ACCEPTED, CANCELLED
from fuselatch.core.model.slow_calls import SlowCall
from fuselatch.core.model.values import Value, short_text
from fuselatch.report.cue_words import written
from fuselatch.report.reading import calls_in, can_warn, forms_named
from fuselatch.report.samples import UNKNOWN, breaking, entering, pressing, raising, sample, verdicts

PLACE: Final = re.compile(r"\[\d+\]|#\d+")
SWITCHES: Final = frozenset({"enabled", "visible"})
"""Rules that should be seen both true and false."""


class Tried(NamedTuple):
    """Something that can be tried of a form.

    `kind`: "handler", "check", "answer", "call", "verdict", "closing" or "rule". `form`: the class. `control`: the path (""
    for the form). `name`: the handler with its event, the check, prompt or property; of a slow call, the handler that waits.
    `way`: "ran", "passed" or "failed", the answer, "finished", "failed", "timed out" or "cancelled", the verdict,
    "close button", "Escape" or "Enter", "yes" or "no".
    """

    kind: str
    form: str
    control: str
    name: str
    way: str


CLOSING: Final[Mapping[str, str]] = {"close": "close button", "key Escape": "Escape", "key Enter": "Enter"}
"""Ways to close that are no button of the form, by gesture."""
WORDS: Final[Mapping[str, str]] = {
    "handler": "handlers",
    "check": "checks",
    "answer": "answers",
    "call": "slow calls",
    "verdict": "verdicts",
    "closing": "ways to close",
    "rule": "rules",
}
"""The name of each kind, in order. Checks and rules count twice, slow calls once for each end."""


@dataclass(slots=True)
class Behaviour(Observer):
    """The behaviour that rehearsals tried. It is a session's observer.

    `counts`: everything that could be tried, and how often it was. `steps`: for each, a step that tries it. `where`: each
    handler's file and line. `vetoes`: the handler that blocked a form's closing, by form and verdict.
    `proved`: what a single step was seen to try, if that was looked at.
    """

    counts: dict[Tried, int] = field(default_factory=dict)
    steps: dict[Tried, tuple[str, ...]] = field(default_factory=dict)
    where: dict[str, str] = field(default_factory=dict)
    vetoes: dict[str, str] = field(default_factory=dict)
    proved: set[Tried] | None = None
    _gesture: str = ""
    _open_prompts: int = 0
    _known: set[type] = field(default_factory=set)
    _first_choices: dict[tuple[str, str], str] = field(default_factory=dict)

    # ---- what a session tells

    def opened(self, form: OpenForm) -> None:
        plan = plan_of(form)
        if type(form) not in self._known:
            self._known.add(type(form))
            for tried, step in possible(type(form), plan):
                self.counts.setdefault(tried, 0)
                self.steps.setdefault(tried, step)
            self.where.update({handler.name: where(handler) for handler in all_handlers(plan)})

    def began(self, gesture: str, by: By) -> None:
        if by == "program" and gesture.startswith("open "):
            # A new session; the one before may have ended with a prompt.
            self._open_prompts = 0
        # What is done at a prompt answers it. The gesture that asked is the one that closes a form afterwards.
        if not self._open_prompts:
            self._gesture = gesture

    def closed(self, form: OpenForm, verdict: str) -> None:
        name = type(form).__name__
        self._count("verdict", form, "", name, verdict)
        if self._gesture in CLOSING:
            self._count("closing", form, "", name, CLOSING[self._gesture])

    def vetoed(self, handler: Handler, event: Event, reason: str) -> None:
        """Note which handler blocks a form's closing."""
        if event.name in ("closing", "accepting"):
            verdict = event.new if event.name == "closing" else ACCEPTED
            self.vetoes.setdefault(f"{type(event.form).__name__} {verdict}", handler.name.rpartition(".")[2])

    def asked(self, form: OpenForm, name: str, prompt: Prompt) -> None:
        self._open_prompts += 1

    def computed(self, form: OpenForm, path: str, prop: str, value: Value) -> None:
        if prop in SWITCHES:
            self._count("rule", form, path, prop, "yes" if value else "no")
        elif prop == "choices" and value:
            key = (type(form).__name__, PLACE.sub("[]", path))
            if key not in self._first_choices:
                self._first_choices[key] = next(iter(value.shown(0, 1)), "")

    def validated(self, control: AnyControl, passed: Sequence[str], failed: Sequence[Finding]) -> None:
        for rule in {finding.rule for finding in failed}:
            self._count("check", control.form, control.name, rule, "failed")
        for rule in passed:
            self._count("check", control.form, control.name, rule, "passed")

    def answered(self, form: OpenForm, name: str, prompt: Prompt, answer: str) -> None:
        """Count an answer. An undeclared prompt is known by its text once it was asked."""
        self._open_prompts = max(0, self._open_prompts - 1)
        if not name:
            name = f"'{short_text(prompt.text)}'"
            for button in prompt.buttons:
                tried = Tried("answer", type(form).__name__, "", name, button)
                self.counts.setdefault(tried, 0)
                self.steps.setdefault(tried, ("answer", button))
        self._count("answer", form, "", name, answer)

    def called(self, form: OpenForm, call: SlowCall) -> None:
        """Add the ends of a slow call that its handler's code doesn't show."""
        handler = call.handler.rpartition(".")[2]
        options = {"timeout": call.timeout is not None, "can_cancel": not call.can_cancel}
        names = frozenset(name for name, is_so in options.items() if is_so)
        for tried, step in ends(type(form).__name__, handler, names):
            self.counts.setdefault(tried, 0)
            self.steps.setdefault(tried, step)

    def call_ended(self, form: OpenForm, call: SlowCall, how: str) -> None:
        self._count("call", form, "", call.handler.rpartition(".")[2], how.replace("_", " "))

    def ran(self, handler: Handler, event: Event) -> None:
        """Count a handler, by event."""
        path = PLACE.sub("[]", event.control.name) if event.control is not None else ""
        self._count("handler", event.form, path, f"{event.name} → {handler.name}", "ran")

    def _count(self, kind: str, form: OpenForm, control: str, name: str, way: str) -> None:
        self._add(Tried(kind, type(form).__name__, PLACE.sub("[]", control) if control else "", name, way))

    def _add(self, tried: Tried, times: int = 1) -> None:
        if tried in self.counts:
            self.counts[tried] += times

    # ---- for reports

    @property
    def share(self) -> float:
        """How much was tried of what could be, in percent."""
        return 100 * sum(times > 0 for times in self.counts.values()) / max(1, len(self.counts))

    @property
    def forms(self) -> tuple[str, ...]:
        """The names of the forms that were opened, or that these could have opened."""
        return tuple(dict.fromkeys(tried.form for tried in self.counts))

    def counted(self, form: str) -> dict[str, tuple[int, int]]:
        """Return how much of a form was tried and could be, by kind."""
        counts: dict[str, tuple[int, int]] = {}
        for tried, times in self.counts.items():
            if tried.form == form:
                done, of = counts.get(tried.kind, (0, 0))
                counts[tried.kind] = done + (times > 0), of + 1
        return {kind: counts[kind] for kind in WORDS if kind in counts}

    def untried(self, form: str) -> list[Tried]:
        """Return what was never tried of a form."""
        return [tried for tried, times in self.counts.items() if tried.form == form and not times]

    def step(self, tried: Tried) -> tuple[str, ...]:
        """Return a step that tries something."""
        step = self.steps[tried]
        choice = self._first_choices.get((tried.form, PLACE.sub("[]", step[1]))) if len(step) > 1 else None
        return (*step[:-1], choice) if choice and step[0] == "pick" and step[-1] == UNKNOWN else step

    def to_dict(self) -> Plain:
        """Return everything as plain dicts, lists and text, for JSON."""
        ways = [{**tried._asdict(), "times": times, "step": list(self.step(tried))} for tried, times in self.counts.items()]
        return {"version": 1, "tried": ways, "handlers": dict(sorted(self.where.items())),
                "vetoes": dict(sorted(self.vetoes.items()))}  # fmt: skip

    def add(self, described: Plain) -> None:
        """Add what another run tried, from `to_dict`."""
        self.where.update(described["handlers"])
        self.vetoes.update(described["vetoes"])
        for one in described["tried"]:
            tried = Tried(*(one[name] for name in Tried._fields))
            self.counts[tried] = self.counts.get(tried, 0) + one["times"]
            self.steps.setdefault(tried, tuple(one["step"]))


def possible(form: type[OpenForm], plan: FormPlan) -> Iterator[tuple[Tried, tuple[str, ...]]]:
    """Yield everything that can be tried of a form, with a step that tries it."""
    name = plan.name
    for path, control, event, handler in hearing(plan):
        text = sample(control) if control is not None else ""
        step = raising(path.replace("[]", "[0]"), control, event, plan, text)
        yield Tried("handler", name, path, f"{event} → {handler.name}", "ran"), step
    for path, control in placed(plan):
        place = path.replace("[]", "[0]")
        for rule in (*control.decl.rule_names(), *(check.name for check in control.checks)):
            yield Tried("check", name, path, rule, "passed"), entering(place, control, sample(control))
            yield Tried("check", name, path, rule, "failed"), breaking(place, control, rule)
        for prop in control.decl.rules:
            for way in ("yes", "no") if prop in SWITCHES else ():
                yield Tried("rule", name, path, prop, way), ("expect", f"{place}.{prop}", way)
    prompts = dict(plan.prompts)
    if any(can_warn(control, bool(plan.records)) for control in plan.controls.values()):
        prompts["warnings_prompt"] = form.warnings_prompt
    for prompt, declared in prompts.items():
        for answer in declared.buttons:
            yield Tried("answer", name, "", prompt, answer), ("answer", answer)
    for handler_name, handler in plan.handlers.items():
        for called in calls_in(handler.function, form):
            yield from ends(name, handler_name.rpartition(".")[2], called.options)
    yield from closing(plan)
    for handler in plan.handlers.values():
        for dialog in forms_named(handler.function, form):
            yield from closing(plan_of(dialog))


def ends(form: str, handler: str, options: frozenset[str]) -> Iterator[tuple[Tried, tuple[str, ...]]]:
    """Yield the ends of a slow call with these options: it times out and can be cancelled only with some of them."""
    steps: dict[str, tuple[str, ...]] = {"finished": ("finish", handler), "failed": ("fail", handler, "no connection")}
    if "timeout" in options:
        steps["timed out"] = ("time_out", handler)
    if "can_cancel" not in options:
        steps["cancelled"] = ("cancel_call", handler)
    for way, step in steps.items():
        yield Tried("call", form, "", handler, way), step


def closing(plan: FormPlan) -> Iterator[tuple[Tried, tuple[str, ...]]]:
    """Yield the ways that a form can close."""
    for verdict in verdicts(plan):
        yield Tried("verdict", plan.name, "", plan.name, verdict), pressing(plan, verdict)
    yield Tried("closing", plan.name, "", plan.name, "close button"), ("close",)
    yield Tried("closing", plan.name, "", plan.name, "Escape"), ("key", "Escape")
    if any(control.decl.closes and control.decl.constants.get("keys") == "Enter" for control in plan.controls.values()):
        yield Tried("closing", plan.name, "", plan.name, "Enter"), ("key", "Enter")


def placed(plan: FormPlan) -> Iterator[tuple[str, ControlPlan]]:
    """Yield controls and groups by path, those of lines as `extras[].price`."""
    for path, control in {**plan.groups, **plan.controls}.items():
        yield path, control
        if isinstance(control.decl, Lines):
            for inner, deeper in placed(plan_of(control.decl.line)):
                yield f"{path}[].{inner}", deeper


def hearing(plan: FormPlan) -> Iterator[tuple[str, ControlPlan | None, str, Handler]]:
    """Yield the handlers of each control's events (None: the form's)."""
    for path, control in placed(plan):
        for event, handlers in control.heard.items():
            for handler in handlers:
                yield path, control, event, handler
    for event, handlers in plan.heard.items():
        for handler in handlers:
            yield "", None, event, handler


def all_handlers(plan: FormPlan) -> Iterator[Handler]:
    """Yield the handlers of a form and its lines."""
    yield from (handler for _, _, _, handler in hearing(plan))


def where(handler: Handler) -> str:
    file, line = handler.where
    return f"{file.replace(chr(92), '/').rpartition('/')[2]}:{line}"


def describe_behaviour(behaviour: Behaviour) -> Iterator[str]:
    """Yield what was and wasn't tried, as lines of text."""
    for form in behaviour.forms:
        counted = behaviour.counted(form)
        yield f"{form}: {', '.join(f'{WORDS[kind]} {done} of {of}' for kind, (done, of) in counted.items())}"
        lines = []
        for tried in behaviour.untried(form):
            verb, *words = behaviour.step(tried)
            more = "" if behaviour.proved is None or tried in behaviour.proved else "; it takes more than this step"
            lines.append((written(verb, words), about(tried, behaviour) + more))
        if lines:
            wide = min(max(len(line) for line, _ in lines), 44)
            yield "  not tried:"
            yield from (f"    {line:<{wide}}  # {what}" for line, what in lines)


def about(tried: Tried, behaviour: Behaviour) -> str:
    """Return what a step would try, in words."""
    place = f"{tried.control}." if tried.control else ""
    if tried.kind == "handler":
        event, _, handler = tried.name.partition(" → ")
        return f"{handler} ({behaviour.where.get(handler, '')}) handles {place or tried.form + '.'}{event}"
    if tried.kind == "check":
        return f"{place}{tried.name} never {tried.way}"
    if tried.kind == "answer":
        return f"the prompt {tried.name}"
    if tried.kind == "call":
        return f"the slow call of {tried.name} {'was ' if tried.way == 'cancelled' else ''}never {tried.way}"
    if tried.kind in ("verdict", "closing"):
        verdict = tried.way if tried.kind == "verdict" else ACCEPTED if tried.way == "Enter" else CANCELLED
        blocker = behaviour.vetoes.get(f"{tried.form} {verdict}")
        how = f"as '{tried.way}'" if tried.kind == "verdict" else f"by {'its ' if 'button' in tried.way else ''}{tried.way}"
        return f"closing {tried.form} {how}" + (f": tried, but blocked by {blocker}" if blocker else "")
    return f"{place}{tried.name} was never {tried.way}"
