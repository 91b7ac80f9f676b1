"""Collecting what a form class declares, and refusing what is declared wrongly.

Collecting reads `vars()` along the MRO and runs no code of the author; everything is looked at
before the plan is handed over, so that a half-bad class leaves nothing behind.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from fuselatch.core.forms.checks import checks_of
from fuselatch.core.forms.declarations import Declaration, Entry
from fuselatch.core.forms.params import ParamDeclaration
from fuselatch.core.forms.plans import CheckPlan, ControlPlan, FormPlan, Handler, Hears
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.forms.sources import EventSource, heard_by
from fuselatch.core.model.cells import Derived
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.names import suggest

OVERRIDABLE = frozenset({"warnings_prompt"})
"""Names of Form that a form may declare anew."""


RESERVED = frozenset({"form", "hiding", "locale", "now", "place", "policy", "records", "services", "user"})
"""Names of the options of `rehearse`, `open` and `show`, which no param may bear."""


class Namespace(dict[str, Any]):
    """A class body that refuses a second handler, control or prompt of one name."""

    def __init__(self, owner: str) -> None:
        super().__init__()
        self.owner = owner

    def __setitem__(self, name: str, value: Any) -> None:
        if name in self and is_declared(self[name]):
            raise DeclarationError(f"{self.owner}.{name} is declared twice in one class; give the second a name of its own")
        super().__setitem__(name, value)


def is_declared(value: object) -> bool:
    """Whether a thing in a class body is a declaration of ours."""
    declared = isinstance(value, Declaration | ParamDeclaration | Prompt)
    return declared or bool(heard_by(value)) or bool(checks_of(value))


def collect(form: type, root: type, title: str | None) -> FormPlan:
    """The plan of a form class; raises `DeclarationError` for the first thing declared wrongly."""
    return _Collector(form, root).collect(title)


class _Collector:
    """One class being looked at."""

    def __init__(self, form: type, root: type) -> None:
        self.form = form
        self.root = root
        self.plan = FormPlan(form.__name__, "")
        self.members: dict[str, Any] = {}
        self.paths: dict[Declaration[Any], str] = {}
        self.marks: dict[str, tuple[EventSource, ...]] = {}

    def collect(self, title: str | None) -> FormPlan:
        self._taken_names()
        for base in reversed(self.form.__mro__):
            if issubclass(base, self.root) and base is not self.root:
                for name, value in vars(base).items():
                    self._member(base, name, value)
        self.plan.title = title if title is not None else spaced(self.form.__name__)
        self._controls()
        self._handlers()
        for name, value in self.members.items():
            self._checks(name, value)
        for control in self.plan.controls.values():
            self._rules(control)
            control.judged = isinstance(control.decl, Entry)
        return self.plan

    def fail(self, name: str, why: str) -> DeclarationError:
        """The error for something declared wrongly under a name."""
        return DeclarationError(f"{self.form.__name__}.{name}: {why}")

    def _taken_names(self) -> None:
        for name in vars(self.form):
            own = not name.startswith("_") and hasattr(self.root, name) and name not in OVERRIDABLE
            if own or name in ("_state",):
                raise self.fail(name, "Form itself uses this name; take another")

    def _member(self, base: type, name: str, value: Any) -> None:
        before = self.members.get(name)
        if isinstance(value, Declaration):
            if value.name != name:
                raise self.fail(name, f"this is the control '{value.name}' again; declare one for each name")
            if name.startswith("_"):
                raise self.fail(name, "a control's name starts with a letter")
            self.paths[value] = name
        if isinstance(before, Declaration):
            kinds = type(before).__name__, type(value).__name__
            if not isinstance(value, type(before)):
                raise self.fail(name, f"replaces a {kinds[0]} by a {kinds[1]}; a control may be replaced by one of its kind")
        if heard_by(before) or heard_by(value):
            # A handler of the same name in a subclass hears what the one it replaces heard.
            self.marks[name] = tuple(dict.fromkeys((*self.marks.get(name, ()), *heard_by(value))))
        if is_declared(value) or is_declared(before):
            self.members[name] = value

    def _controls(self) -> None:
        for name, value in self.members.items():
            if isinstance(value, Declaration):
                blank = value.blank if isinstance(value, Entry) else getattr(type(value), "blank", None)
                self.plan.controls[name] = ControlPlan(name, len(self.plan.controls), value, blank, value.events())
            elif isinstance(value, ParamDeclaration):
                if name in RESERVED:
                    raise self.fail(name, "an option of rehearse or open has this name; take another for the param")
                self.plan.params[name] = value
            elif isinstance(value, Prompt):
                self.plan.prompts[name] = value

    def _handlers(self) -> None:
        hears = Hears()
        for name, sources in self.marks.items():
            function = self.members[name]
            if not callable(function):
                raise self.fail(name, "replaces a handler, but is no method")
            handler = Handler(f"{self.form.__name__}.{name}", function, self._takes_event(name, function))
            self.plan.handlers[name] = handler
            for source in sources:
                hears.add(self._heard_key(name, source), handler)
        for (where, event), handlers in hears.by_key.items():
            if where is None:
                self.plan.heard[event] = tuple(handlers)
            elif isinstance(where, str):
                self.plan.controls[where].heard[event] = tuple(handlers)
            else:
                self.plan.heard_of[(where, event)] = tuple(handlers)

    def _heard_key(self, name: str, source: EventSource) -> tuple[Any, str]:
        owner = source.owner
        if isinstance(owner, type):
            return (None if issubclass(self.form, owner) else owner), source.name
        return self._path(name, owner, f"can't hear '{source!r}'"), source.name

    def _path(self, name: str, owner: Any, what: str) -> str:
        """The path of a declaration that something refers to."""
        if owner not in self.paths:
            wrong = getattr(owner, "name", "") or repr(owner)
            hint = suggest(wrong, self.plan.controls)
            raise self.fail(name, f"{what}: '{wrong}' is no control of {self.form.__name__}; {hint}")
        return self.paths[owner]

    def _takes_event(self, name: str, function: Callable[..., object]) -> bool:
        count = positional(function)
        if count not in (1, 2):
            raise self.fail(name, f"a handler takes self, or self and the event, not {count} arguments")
        return count == 2

    def _checks(self, name: str, value: Any) -> None:
        for mark in checks_of(value):
            paths = tuple(self._path(name, decl, "can't check") for decl in mark.controls)
            if positional(value) != len(paths) + 1:
                given = ", ".join(paths)
                raise self.fail(name, f"a check of {given} takes self and {len(paths)} value(s), one for each control")
            for path in paths:
                if not isinstance(self.plan.controls[path].decl, Entry):
                    raise self.fail(name, f"can't check '{path}': a {self.plan.controls[path].decl.kind} takes no entries")
            plan = self.plan.controls[paths[0]]
            plan.checks = (*plan.checks, CheckPlan(name, value, paths))

    def _rules(self, control: ControlPlan) -> None:
        for prop, rule in control.decl.rules.items():
            where = f"{control.path}.{prop}"
            if isinstance(rule, Derived):
                for given in rule.inputs:
                    self._path(where, given, "can't follow")
            elif hasattr(rule, "__code__") and positional(rule) != 1:
                raise self.fail(where, f"a rule takes the form alone, not {positional(rule)} arguments")


def positional(function: Any) -> int:
    """How many arguments a function takes by position (0: not known)."""
    code = getattr(function, "__code__", None)
    if code is None:
        return 0
    flexible = len(function.__defaults__ or ())
    required: int = code.co_argcount - flexible
    return required


def spaced(name: str) -> str:
    """A class name as a title: `VesselSearch` is "Vessel search"."""
    words = "".join(" " + letter.lower() if letter.isupper() else letter for letter in name).split()
    return " ".join(words).capitalize()
