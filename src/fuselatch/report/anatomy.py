"""A form's anatomy: what its class declares, as data and as text."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Final, NamedTuple

from fuselatch.core.forms.catalogs import Catalog
from fuselatch.core.forms.control_options import limits
from fuselatch.core.forms.defaults import LastEntered, NthChoice
from fuselatch.core.forms.form import Form, plan_of
from fuselatch.core.forms.inputs import plain_text
from fuselatch.core.forms.latch import Latch
from fuselatch.core.forms.params import MISSING
from fuselatch.core.forms.plans import ControlPlan, FormPlan, Handler
from fuselatch.core.forms.policy_rules import PolicyRules
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.forms.rules import Constant
from fuselatch.core.forms.shared import Shared
from fuselatch.core.kinds.lines import Lines
from fuselatch.core.model.cells import Derived
from fuselatch.core.model.properties import RULE_WORDS
from fuselatch.report.reading import calls_in, can_warn, code_of, forms_named, paths_in, uses, within
from fuselatch.report.samples import verdicts


@dataclass(frozen=True, slots=True)
class ControlDescription:
    """One control: path, kind, caption, rules, dependent properties and checks."""

    path: str
    kind: str
    caption: str
    rules: tuple[str, ...]
    follows: tuple[str, ...]
    checks: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class HandlerDescription:
    """One handler: its events, name, first docstring line, file and line.

    `sets`, `asks`, `opens`, `sends`, `writes`, `shares`, `calls`: properties, prompts, forms, custom events, what it does
    with records, shared values, and functions that it calls elsewhere, as far as its code shows.
    """

    events: tuple[str, ...]
    name: str
    doc: str
    where: str
    sets: tuple[str, ...] = ()
    asks: tuple[str, ...] = ()
    opens: tuple[str, ...] = ()
    sends: tuple[str, ...] = ()
    writes: tuple[str, ...] = ()
    shares: tuple[str, ...] = ()
    calls: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class PromptDescription:
    """One prompt: title, text and buttons as shown, and more about it."""

    name: str
    title: str
    text: str
    buttons: tuple[str, ...]
    more: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class DialogDescription:
    """A form that handlers may open: its title, how it can close, and by which handlers."""

    name: str
    title: str
    verdicts: tuple[str, ...]
    by: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Anatomy:
    """The declarations of a form class."""

    name: str
    title: str
    doc: str
    records: str
    params: tuple[str, ...]
    controls: tuple[ControlDescription, ...]
    handlers: tuple[HandlerDescription, ...]
    prompts: tuple[PromptDescription, ...]
    dialogs: tuple[DialogDescription, ...]
    custom_events: tuple[tuple[str, str], ...]
    latches: tuple[tuple[str, str], ...] = ()


def anatomy(form: type[Form], policy: PolicyRules | None = None) -> Anatomy:
    """Return what a form class declares, with a policy applied."""
    plan = plan_of(form) if policy is None else policy.applied(form)
    return Anatomy(
        plan.name,
        plan.title if isinstance(plan.title, str) else "(from a rule)",
        plan.doc,
        plan.records,
        tuple(plan.params),
        tuple(
            each for control in in_order(plan) for each in (describe_control(control, plan, form), *describe_line(control))
        ),
        (*describe_handlers(plan, form), *handlers_of_lines(plan)),
        tuple(describe_prompt(plan, name, prompt) for name, prompt in all_prompts(form, plan).items()),
        tuple(describe_dialogs(form, plan)),
        tuple((name, signal.kind.__name__) for name, signal in plan.custom_events.items()),
        tuple((name, repr(latch)[7:-1]) for name, latch in latches_of(form)),
    )


def latches_of(form: type) -> Iterator[tuple[str, Latch]]:
    """Yield the latches that a form class has as members, the base's first."""
    for base in reversed(form.__mro__):
        yield from ((name, value) for name, value in vars(base).items() if isinstance(value, Latch))


def all_prompts(form: type[Form], plan: FormPlan) -> dict[str, Prompt]:
    """Return a form's prompts, and the one about warnings if it can have any."""
    warns = any(can_warn(control, bool(plan.records)) for control in plan.controls.values())
    return {**plan.prompts, **({"warnings_prompt": form.warnings_prompt} if warns else {})}


def describe_prompt(plan: FormPlan, name: str, prompt: Prompt) -> PromptDescription:
    """Return one prompt as the user sees it."""
    shown = plan.reworded.get(name, prompt)
    words = [f"default {shown.default!r}", f"cancel {shown.cancel!r}", f"tone {shown.tone}"]
    if prompt.latch is not None:
        words.append(f"latch {repr(prompt.latch)[7:-1]}; remembers {', '.join(map(repr, prompt.remember))}")
    if name in plan.reworded:
        words.append("text changed by policy")
    if shown.buttons != prompt.buttons:
        words.append(f"code sees {', '.join(map(repr, prompt.buttons))}")
    return PromptDescription(name, shown.title, shown.text, shown.buttons, tuple(words))


class AtHand(NamedTuple):
    """A form that can be opened by name: title, purpose, shortcut and required params."""

    name: str
    title: str
    purpose: str
    keys: str
    at_start: bool
    needs: tuple[str, ...]


def at_hand(form: type[Form]) -> AtHand:
    plan = plan_of(form)
    needs = tuple(name for name, param in plan.params.items() if param.default is MISSING)
    title = plan.title if isinstance(plan.title, str) else plan.name
    return AtHand(plan.name, title, plan.doc, plan.keys, plan.at_start, needs)


def hand_lines(each: Sequence[AtHand]) -> Iterator[str]:
    if not each:
        yield "no forms in this folder"
        return
    names = max(len(one.name) for one in each)
    keys = max(len(one.keys) for one in each)
    for one in each:
        needs = f" (needs {', '.join(one.needs)})" if one.needs else ""
        start = " (opens at start)" if one.at_start else ""
        yield f"{one.name:<{names}}  {one.keys:<{keys}}  {one.title}{needs}{start}".rstrip()
        if one.purpose:
            yield f"{'':<{names}}  {'':<{keys}}  {one.purpose}"


def in_order(plan: FormPlan) -> list[ControlPlan]:
    """Return groups and controls in tab order, each group before its controls."""
    placed = [*plan.groups.values(), *plan.controls.values()]
    return sorted(placed, key=lambda control: (control.index, not control.is_group, control.path.count(".")))


def describe_control(control: ControlPlan, plan: FormPlan, form: type) -> ControlDescription:
    decl = control.decl
    options: dict[str, Any] = {**{word: vars(decl).get(word) for word in RULE_WORDS}, **decl.constants}
    levels = control.levels or {}
    rules = tuple(
        rule_text(word, options[word]) + (f" ({levels[word]})" if word in levels else "")
        for word in RULE_WORDS
        if limits(word, options[word])
    )
    choices = decl.constants.get("choices")
    if choices is not None:
        rules = (*rules, f"{len(choices)} choices")
    rules = (*rules, *default_and_constants(control), *decl.details())
    return ControlDescription(
        control.path,
        decl.kind,
        str(decl.constants.get("caption", "(from a rule)")),
        rules,
        tuple(follow_text(control, prop, rule, plan, form) for prop, rule in decl.rules.items()),
        tuple(
            (check.name if check.level is None else f"{check.name} ({check.level})")
            + ("" if check.at == control.path else f" (shown at {check.at})")
            for check in named_once((*control.checks, *control.checked_by))
        ),
    )


def named_once(checks: tuple[Any, ...]) -> list[Any]:
    """Return checks without those that are there twice."""
    return [*{check.name: check for check in reversed(checks)}.values()][::-1]


def default_and_constants(control: ControlPlan) -> Iterator[str]:
    """Yield a control's default, and the properties that are always the same."""
    constants = control.decl.constants
    default = constants.get("default")
    # Those that are made when the form opens are among the control's details, or its rules.
    if default is not None and default != control.blank and not isinstance(default, LastEntered | NthChoice):
        yield f"default {plain_text(default)}"
    for word in ("visible", "enabled"):
        if constants.get(word) is False:
            yield f"{word} only if code sets it"


def describe_line(control: ControlPlan) -> Iterator[ControlDescription]:
    """Yield the controls of lines: `extras[].price`."""
    if isinstance(control.decl, Lines):
        for inner in in_order(plan_of(control.decl.line)):
            described = describe_control(inner, plan_of(control.decl.line), control.decl.line)
            yield replace(described, path=f"{control.path}[].{described.path}")


def rule_text(word: str, value: object) -> str:
    return word if value is True else f"{word} {plain_text(getattr(value, 'pattern', value))}"


def follow_text(control: ControlPlan, prop: str, rule: Any, plan: FormPlan, form: type) -> str:
    """Return what a property depends on, in words."""
    if isinstance(rule, Catalog):
        given = f" where {', '.join(control.inputs[prop])}" if rule.inputs else ""
        return f"{prop} from {rule.source}.{rule.text}{given}"
    if isinstance(rule, Constant):
        return f"{prop} always {rule.value!r}"
    depends = "depend on" if prop == "choices" else "depends on"
    if isinstance(rule, Derived):
        return f"{prop} {depends} {', '.join(control.inputs[prop])}"
    code = getattr(rule, "__code__", None)
    reads = ", ".join(read_by(rule, plan, form))
    follows = f"{prop} {depends} {reads}" if reads else f"{prop} from a rule"
    return follows + (f" ({Path(code.co_filename).name}:{code.co_firstlineno})" if code is not None else "")


def read_by(rule: Callable[..., Any], plan: FormPlan, form: type[Form]) -> list[str]:
    """Return the controls that a rule reads, also by methods that it calls."""
    return paths_in(uses(rule, form), plan.controls)


def describe_dialogs(form: type[Form], plan: FormPlan) -> Iterator[DialogDescription]:
    by: dict[type[Form], list[str]] = {}
    for name, handler in plan.handlers.items():
        for dialog in forms_named(handler.function, form):
            by.setdefault(dialog, []).append(name)
    for dialog, names in by.items():
        title = plan_of(dialog).title if isinstance(plan_of(dialog).title, str) else dialog.__name__
        yield DialogDescription(dialog.__name__, title, verdicts(plan_of(dialog)), tuple(names))


def describe_handlers(plan: FormPlan, form: type) -> Iterator[HandlerDescription]:
    return (describe_handler(plan, form, name, handler) for name, handler in plan.handlers.items())


def handlers_of_lines(plan: FormPlan) -> Iterator[HandlerDescription]:
    for control in plan.controls.values():
        if isinstance(control.decl, Lines):
            for each in describe_handlers(plan_of(control.decl.line), control.decl.line):
                events, sets = (tuple(f"{control.path}[].{what}" for what in each) for each in (each.events, each.sets))
                yield replace(each, events=events, sets=sets)


def describe_handler(plan: FormPlan, form: type, name: str, handler: Handler) -> HandlerDescription:
    group = name.rpartition(".")[0]
    heard = [
        f"{path}.{event}"
        for path, control in {**plan.controls, **plan.groups}.items()
        for event, used in control.heard.items()
        if path.startswith(f"{group}." if group else "") and any(one.function is handler.function for one in used)
    ]
    heard += [
        f"form: {event}" for event, used in plan.heard.items() if any(one.function is handler.function for one in used)
    ]
    heard += [
        f"{form.__name__}.{event}"
        for (form, event), used in plan.heard_of.items()
        if any(one.function is handler.function for one in used)
    ]
    file, line = handler.where
    doc = (handler.function.__doc__ or "").strip().partition("\n")[0]
    used = uses(handler.function, form)
    sent = sorted({use.names[0] for use in used if use.names[1:2] == ("send",) and use.names[0] in plan.custom_events})
    written = sorted({use.names[2] for use in used if use.names[:2] == ("session", "records") and use.names[2:3] in WRITING})
    return HandlerDescription(
        tuple(heard),
        name,
        doc,
        f"{Path(file).name}:{line}",
        tuple(sorted(".".join(use.names) for use in used if use.is_set and plan.placed(".".join(use.names[:-1])))),
        tuple(paths_in(used, plan.prompts)),
        tuple(dialog.__name__ for dialog in forms_named(handler.function, form)),
        tuple(sent),
        tuple(f"records ({word})" for word in written),
        shared_by(handler.function),
        tuple(dict.fromkeys(called.function for called in calls_in(handler.function, form))),
    )


WRITING: Final = frozenset({("add",), ("change",), ("remove",)})


def shared_by(function: Callable[..., object]) -> tuple[str, ...]:
    """Return the names of the shared values that a function uses."""
    plain: Any = getattr(function, "__wrapped__", function)
    code, known = code_of(plain), getattr(plain, "__globals__", {})
    names = dict.fromkeys(name for part in (within(code) if code is not None else ()) for name in part.co_names)
    return tuple(name for name in names if isinstance(known.get(name), Shared))


DOES: Final = ("sets", "asks", "opens", "sends", "writes", "shares", "calls")


def lines(each: Anatomy) -> Iterator[str]:
    """Yield an anatomy as lines of text."""
    yield f"{each.name}: {each.title}"
    if each.doc:
        yield f"  {each.doc}"
    if each.records:
        yield f"  records: {each.records}"
    if each.params:
        yield f"  parameters: {', '.join(each.params)}"
    yield ""
    yield "Controls (tab order)"
    captions = max((len(control.caption) for control in each.controls), default=0) + 2
    wide = max((len(control.path) for control in each.controls), default=0)
    kinds = max((len(control.kind) for control in each.controls), default=0)
    for control in each.controls:
        checks = (f"checked by {', '.join(control.checks)}",) if control.checks else ()
        rest = "; ".join((*control.rules, *control.follows, *checks))
        yield f"  {control.path:<{wide}}  {control.kind:<{kinds}}  {control.caption!r:<{captions}}  {rest}".rstrip()
    if each.handlers:
        yield ""
        yield "Handlers"
        for handler in each.handlers:
            yield f"  {', '.join(handler.events) or '(no event)'}: {handler.name} ({handler.where})"
            if handler.doc:
                yield f"      {handler.doc}"
            does = [(verb, getattr(handler, verb)) for verb in DOES]
            done = "; ".join(f"{verb} {', '.join(what)}" for verb, what in does if what)
            if done:
                yield f"      {done}"
    if each.prompts:
        yield ""
        yield "Prompts"
        for prompt in each.prompts:
            yield f"  {prompt.name}: {' '.join(prompt.text.split())!r} [{'] ['.join(prompt.buttons)}]"
            yield f"      {'; '.join(prompt.more)}"
    if each.dialogs:
        yield ""
        yield "Dialogs"
        for dialog in each.dialogs:
            ends = " or ".join(dialog.verdicts)
            yield f"  {dialog.name}: {dialog.title}; ends as {ends}; opened by {', '.join(dialog.by)}"
    if each.latches:
        yield ""
        yield "Latches"
        for name, described in each.latches:
            yield f"  {name}: {described}"
    if each.custom_events:
        yield ""
        yield "Custom events"
        for name, kind in each.custom_events:
            yield f"  {name}: sends {kind}"
