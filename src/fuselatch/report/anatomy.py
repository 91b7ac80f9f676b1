"""A form's anatomy: what its class declares, as data and as lines of text."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from fuselatch.core.forms.form import Form, plan_of
from fuselatch.core.forms.plans import ControlPlan, FormPlan, Handler
from fuselatch.core.model.cells import Derived

RULE_WORDS = (
    "required",
    "minimum",
    "maximum",
    "min_length",
    "max_length",
    "pattern",
    "unit",
    "decimals",
    "keys",
    "look",
    "closes",
)
"""What is told of a control where it is declared."""


@dataclass(frozen=True, slots=True)
class ControlTold:
    """One control: its path, kind, caption, declared rules, what follows a rule, and the names of its checks."""

    path: str
    kind: str
    caption: str
    rules: tuple[str, ...]
    follows: tuple[str, ...]
    checks: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class HandlerTold:
    """One handler: what it hears, its name, the first line of its docstring, its file and line."""

    hears: tuple[str, ...]
    name: str
    doc: str
    where: str


@dataclass(frozen=True, slots=True)
class Anatomy:
    """What a form class declares."""

    name: str
    title: str
    doc: str
    params: tuple[str, ...]
    controls: tuple[ControlTold, ...]
    handlers: tuple[HandlerTold, ...]
    prompts: tuple[tuple[str, str, tuple[str, ...]], ...]


def anatomy(form: type[Form]) -> Anatomy:
    """Read off what a form class declares."""
    plan = plan_of(form)
    return Anatomy(
        plan.name,
        plan.title if isinstance(plan.title, str) else "(by a rule)",
        plan.doc,
        tuple(plan.params),
        tuple(control_told(control) for control in in_order(plan)),
        tuple(handler_told(plan, name, handler) for name, handler in plan.handlers.items()),
        tuple((name, prompt.text, prompt.buttons) for name, prompt in plan.prompts.items()),
    )


def in_order(plan: FormPlan) -> list[ControlPlan]:
    """Groups and controls in tab order, each group before what is in it."""
    placed = [*plan.groups.values(), *plan.controls.values()]
    return sorted(placed, key=lambda control: (control.index, control.decl.kind != "group", control.path.count(".")))


def control_told(control: ControlPlan) -> ControlTold:
    """One control as it is declared."""
    decl = control.decl
    found: dict[str, Any] = {**{word: vars(decl).get(word) for word in RULE_WORDS}, **decl.constants}
    rules = tuple(rule_text(word, found[word]) for word in RULE_WORDS if found[word] not in (None, False, ""))
    choices = decl.constants.get("choices")
    if choices is not None:
        rules = (*rules, f"{len(choices)} choices")
    return ControlTold(
        control.path,
        decl.kind,
        str(decl.constants.get("caption", "(by a rule)")),
        rules,
        tuple(follow_text(control, prop, rule) for prop, rule in decl.rules.items()),
        tuple(check.name for check in control.checks),
    )


def rule_text(word: str, value: Any) -> str:
    """One declared rule in words."""
    return word if value is True else f"{word} {getattr(value, 'pattern', value)}"


def follow_text(control: ControlPlan, prop: str, rule: Any) -> str:
    """What a property follows."""
    if isinstance(rule, Derived):
        return f"{prop} follows {', '.join(control.inputs[prop])}"
    code = getattr(rule, "__code__", None)
    return f"{prop} by a rule" + (f" ({Path(code.co_filename).name}:{code.co_firstlineno})" if code is not None else "")


def handler_told(plan: FormPlan, name: str, handler: Handler) -> HandlerTold:
    """One handler with what it hears."""
    group = name.rpartition(".")[0]
    heard = [
        f"{path}.{event}"
        for path, control in {**plan.controls, **plan.groups}.items()
        for event, found in control.heard.items()
        if path.startswith(f"{group}." if group else "") and any(one.function is handler.function for one in found)
    ]
    heard += [
        f"the form's {event}"
        for event, found in plan.heard.items()
        if any(one.function is handler.function for one in found)
    ]
    heard += [
        f"{form.__name__}.{event}"
        for (form, event), found in plan.heard_of.items()
        if any(one.function is handler.function for one in found)
    ]
    file, line = handler.where
    doc = (handler.function.__doc__ or "").strip().partition("\n")[0]
    return HandlerTold(tuple(heard), name, doc, f"{Path(file).name}:{line}")


def lines(told: Anatomy) -> Iterator[str]:
    """An anatomy as lines of text."""
    yield f"{told.name}: {told.title}"
    if told.doc:
        yield f"  {told.doc}"
    if told.params:
        yield f"  opened with {', '.join(told.params)}"
    yield ""
    yield "Controls, in tab order"
    captions = max((len(control.caption) for control in told.controls), default=0) + 2
    wide = max((len(control.path) for control in told.controls), default=0)
    kinds = max((len(control.kind) for control in told.controls), default=0)
    for control in told.controls:
        checks = (f"checked by {', '.join(control.checks)}",) if control.checks else ()
        rest = "; ".join((*control.rules, *control.follows, *checks))
        yield f"  {control.path:<{wide}}  {control.kind:<{kinds}}  {control.caption!r:<{captions}}  {rest}".rstrip()
    if told.handlers:
        yield ""
        yield "Handlers"
        for handler in told.handlers:
            yield f"  {', '.join(handler.hears) or 'nothing'}: {handler.name} ({handler.where})"
            if handler.doc:
                yield f"      {handler.doc}"
    if told.prompts:
        yield ""
        yield "Prompts"
        for name, text, buttons in told.prompts:
            yield f"  {name}: {' '.join(text.split())!r} [{'] ['.join(buttons)}]"
