"""Collect what a form or group class declares, and refuse wrong declarations.

Collecting reads `vars()` along the MRO and runs none of the developer's code. Everything is checked before the plan is
returned, so that a wrong class leaves nothing behind.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import cached_property, partial, partialmethod
from opcode import opmap
from types import CodeType
from typing import TYPE_CHECKING, Any

from fuselatch.core.forms.attaching import OwnedEvent, heard_by
from fuselatch.core.forms.catalogs import Catalog
from fuselatch.core.forms.checks import CheckMark, checks_of
from fuselatch.core.forms.custom_events import CustomEvent
from fuselatch.core.forms.declarations import Declaration, Within, name_of
from fuselatch.core.forms.inputs import InputControl
from fuselatch.core.forms.params import OpenerDeclaration, ParamDeclaration
from fuselatch.core.forms.plans import CheckPlan, ControlPlan, FormPlan, Handler, RowPlan, joined
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.forms.rows import Row
from fuselatch.core.model.cells import Derived
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.events import FORM_EVENTS, POINTED, heard_as
from fuselatch.core.model.names import NoSuchName, suggest
from fuselatch.core.model.values import Value, same

SPREADS = opmap["CALL_FUNCTION_EX"]
"""The instruction of a call with `**facts`, whose names can't be known."""

OVERRIDABLE = frozenset({"failure_text", "other_prompt", "warnings_prompt", *FORM_EVENTS})
"""Names of Form that a form may declare again. Those of events, so that a new event breaks no form (docs/design.md)."""

RESERVED = frozenset(
    "at form forms hiding latches locale max_runs now observers on_failure only place policy records services user".split()
)
"""Option names of `rehearse`, `open` and `show`. A param can't use them."""


WRAPPERS = (property, staticmethod, classmethod, cached_property, partial, partialmethod)
"""Objects of a class body that have a function inside."""


class Namespace(dict[str, Any]):
    """A class body that refuses two declarations of one name."""

    def __init__(self, owner: str) -> None:
        super().__init__()
        self.owner = owner

    def __setitem__(self, name: str, value: object) -> None:
        if name in self and is_declared(self[name]):
            raise DeclarationError(f"{self.owner}.{name} is declared twice; rename one")
        super().__setitem__(name, value)


class FormMeta(type):
    """The metaclass of forms: finds names declared twice, and suggests names."""

    @classmethod
    def __prepare__(cls, name: str, bases: tuple[type, ...], /, **kwargs: Any) -> Namespace:
        return Namespace(name)

    if not TYPE_CHECKING:

        def __getattr__(cls, name: str) -> Any:
            # Called only for unknown names, such as @VesselSearch.chosne, to suggest the closest one.
            plan = cls.__dict__.get("_plan")
            if plan is None and cls.__name__ == "Form" and not name.startswith("_"):
                raise NoSuchName(lambda: f"a form has no event '{name}'; {suggest(name, FORM_EVENTS)}")
            if plan is None or name.startswith("_"):
                raise AttributeError(f"{cls.__name__} has no '{name}'")
            known = [*plan.controls, *plan.groups, *plan.custom_events, *plan.prompts, *FORM_EVENTS]
            raise NoSuchName(lambda: f"{cls.__name__} has no '{name}'; {suggest(name, known)}")


def is_declared(value: object) -> bool:
    """Return True if a class member is one of our declarations."""
    declared = isinstance(value, Declaration | ParamDeclaration | Prompt | CustomEvent) or is_group(value)
    return declared or bool(heard_by(value)) or bool(checks_of(value))


def is_group(value: object) -> bool:
    return getattr(value, "__dict__", {}).get("_declared") is not None


def collect(form: type, root: type, title: object, without: tuple[str, ...], discard: str = "") -> FormPlan:
    """Return the plan of a form or group class; raise `DeclarationError`."""
    collector = _Collector(form, root)
    plan = collector.collect(without)
    plan.title = title if title is not None else spaced(form.__name__)
    plan.discard = discard
    if callable(plan.title) and positional(plan.title) != 1:
        raise collector.fail("title", "a rule takes one argument, the form")
    return plan


class _Collector:
    """The collector of one class."""

    def __init__(self, form: type, root: type) -> None:
        self.form = form
        self.root = root
        self.plan = FormPlan(form.__name__, "", doc=(form.__doc__ or "").strip().partition("\n")[0])
        self.members: dict[str, Any] = {}
        self.paths: dict[Any, str] = {}
        self.marks: dict[str, tuple[OwnedEvent, ...]] = {}
        self.heard: dict[tuple[Any, str], list[Handler]] = {}
        self.without: frozenset[str] = frozenset()

    def collect(self, without: tuple[str, ...]) -> FormPlan:
        self._taken_names()
        for base in reversed(self.form.__mro__):
            if issubclass(base, self.root) and base is not self.root:
                for name, value in vars(base).items():
                    self._plain(name, value)
                    self._member(name, value)
            elif base not in self.root.__mro__:
                self._of_mixin(base)
        self._leave_out(without)
        self._controls()
        self._handlers()
        for name, value in self.members.items():
            self._checks(name, checks_of(value), value)
        self._facts()
        names: set[str] = set()
        for control in (*self.plan.controls.values(), *self.plan.groups.values()):
            if not control.outer:
                names.update(self._rules(control))
            self._shortcut(control)
        placed = [*self.plan.groups.items(), *self.plan.controls.items()]
        self.plan.ruled = tuple(path for path, one in placed if one.checks or one.decl.rules.keys() - {"default"})
        self.plan.defaulted = tuple(path for path, one in self.plan.controls.items() if may_start(one.decl))
        self.plan.tables = tuple(path for path, one in self.plan.controls.items() if one.decl.has_columns)
        self.plan.has_masks = any(
            one.masked or (one.decl.has_lines and one.decl.line._plan.has_masks) for one in self.plan.controls.values()
        )
        self.plan.rule_names = frozenset(names - set(self.plan.controls) - set(self.plan.groups))
        return self.plan

    def fail(self, name: str, why: str) -> DeclarationError:
        return DeclarationError(f"{self.form.__name__}.{name}: {why}")

    def _taken_names(self) -> None:
        for name in vars(self.form):
            own = not name.startswith("_") and hasattr(self.root, name) and name not in OVERRIDABLE
            if own or name in ("_state", "_live", "_declared"):
                raise self.fail(name, f"{self.root.__name__} already uses this name; choose another")

    def _plain(self, name: str, value: object) -> None:
        """Refuse a handler or check that something else is wrapped around: no event would run it."""
        if not isinstance(value, WRAPPERS):
            return
        inner = getattr(value, "fget", None) or getattr(value, "__func__", None) or getattr(value, "func", None)
        if heard_by(inner) or checks_of(inner):
            what = "handler" if heard_by(inner) else "check"
            raise self.fail(name, f"a {type(value).__name__} can't be a {what}; use a plain method")

    def _of_mixin(self, base: type) -> None:
        """Refuse controls, prompts, handlers and checks of a plain class: they would be left out in silence."""
        name_declared = next((name for name, value in vars(base).items() if is_declared(value)), None)
        if name_declared is not None:
            root = self.root.__name__
            raise self.fail(name_declared, f"{base.__name__} isn't a {root.lower()}; write class {base.__name__}({root})")

    def _member(self, name: str, value: object) -> None:
        before = self.members.get(name)
        if isinstance(value, Declaration) or is_group(value):
            if name_of(value) != name:
                raise self.fail(name, f"this is the same control as '{name_of(value)}'; declare a new one")
            if name.startswith("_"):
                raise self.fail(name, "a control's name must start with a letter")
            self.paths[value] = name
        if (isinstance(before, Declaration) or is_group(before)) and not isinstance(value, type(before)):
            kinds = type(before).__name__, type(value).__name__
            raise self.fail(name, f"a {kinds[0]} can't be replaced by a {kinds[1]}; use the same kind of control")
        if heard_by(before) or heard_by(value):
            # A handler that overrides another handles the same events.
            self.marks[name] = tuple(dict.fromkeys((*self.marks.get(name, ()), *heard_by(value))))
        if is_declared(value) or is_declared(before) or isinstance(value, OpenerDeclaration | Row):
            self.members[name] = value

    def _leave_out(self, without: tuple[str, ...]) -> None:
        self.without = frozenset(without)
        for name in without:
            if name not in self.members:
                raise self.fail(name, f"without={name!r}: no such control or member; {suggest(name, self.members)}")
            del self.members[name]
            self.marks.pop(name, None)

    def _gone(self, owner: object) -> bool:
        """Return True if a control is left out by `without=`."""
        while isinstance(owner, Within):
            owner = owner.outer
        return name_of(owner) in self.without and not isinstance(owner, type)

    def _controls(self) -> None:
        plan = self.plan
        for name, value in self.members.items():
            if isinstance(value, Declaration):
                blank = value.blank if isinstance(value, InputControl) else getattr(type(value), "blank", None)
                placed = plan.controls[name] = ControlPlan(name, len(plan.controls), value, blank, value.events())
                plan.has_lines |= value.has_lines
                if value.has_lines and self.root.__name__ == "Group":
                    raise self.fail(name, "Lines can't be declared in a group; declare them on the form")
                placed.is_input = isinstance(value, InputControl)
                placed.is_checked = value.is_checked
                placed.validated = value.is_checked and value.has_rules()
                placed.lists = value.lists
                placed.holds_value = value.holds_value
                placed.offers = value.offers
                placed.typable = value.is_typable()
                placed.stops = value.takes_focus and "value" not in value.rules
                placed.width = value.width()
                placed.as_is = getattr(type(value), "as_is", None)
                placed.masked = value.constants["look"] == "password" or value.constants.get("masked") is True
                placed.usable = bool(value.constants.get("enabled", True) and value.constants.get("visible", True))
            elif is_group(value):
                self._embed(name, value)
            elif isinstance(value, ParamDeclaration):
                if name in RESERVED:
                    raise self.fail(name, "this name is an option of rehearse, open or show; rename the parameter")
                plan.params[name] = value
            elif isinstance(value, OpenerDeclaration):
                plan.opener = name
            elif isinstance(value, Prompt):
                plan.prompts[name] = value
            elif isinstance(value, CustomEvent):
                if self.root.__name__ == "Group":
                    raise self.fail(
                        name, "custom events can't be declared in a group; declare them on the form, send with self.form"
                    )
                plan.custom_events[name] = value
        for name, value in self.members.items():
            if isinstance(value, Row):
                kept = [control for control in value.controls if not self._gone(control)]
                plan.rows[name] = RowPlan(value.caption, tuple(self._path(name, one, "can't place") for one in kept))

    def _embed(self, name: str, group: Any) -> None:
        """Add the plan of a group under its name."""
        plan, inner = self.plan, type(group)._plan
        decl = group.__dict__["_declared"]
        plan.groups[name] = ControlPlan(name, len(plan.controls), decl, None, decl.events(), is_group=True)
        plan.containers[name] = type(group)
        for path, nested in inner.groups.items():
            plan.groups[joined(name, path)] = nested.inside(name, len(plan.controls) + nested.index)
            plan.containers[joined(name, path)] = inner.containers[path]
        start = len(plan.controls)
        for control in inner.controls.values():
            placed = control.inside(name, start + control.index)
            plan.controls[placed.path] = placed
        for row, row_plan in inner.rows.items():
            plan.rows[joined(name, row)] = RowPlan(row_plan.caption, tuple(joined(name, one) for one in row_plan.controls))
        for prompt, declared in inner.prompts.items():
            plan.prompts[joined(name, prompt)] = declared
        for event, handlers in inner.heard.items():
            inside = [replace(handler, within=joined(name, handler.within)) for handler in handlers]
            self.heard.setdefault((None, event), []).extend(inside)
        for handler_name, handler in inner.handlers.items():
            plan.handlers[joined(name, handler_name)] = handler

    def _handlers(self) -> None:
        for name, sources in self.marks.items():
            if name not in self.members:
                continue
            function = self.members[name]
            if not callable(function):
                raise self.fail(name, "replaces a handler but isn't a method")
            handler = Handler(f"{self.form.__name__}.{name}", function, self._takes_event(name, function))
            self.plan.handlers[name] = handler
            for source in sources:
                if self._gone(source.owner):
                    continue
                where, event = self._heard_key(name, source)
                up = where.count(".") if isinstance(where, str) else 0
                known = self.heard.setdefault((where, event), [])
                if handler.function not in [one.function for one in known]:
                    known.append(replace(handler, up=up))
        for (where, event), handlers in self.heard.items():
            if where is None:
                self.plan.heard[event] = tuple(handlers)
            elif isinstance(where, str):
                placed = self.plan.controls.get(where) or self.plan.groups[where]
                placed.heard[event] = (*placed.heard.get(event, ()), *handlers)
                placed.answers |= event == "changed"
            else:
                self.plan.heard_of[(where, event)] = tuple(handlers)
        for placed in self.plan.controls.values():
            placed.hears = tuple([name for name in POINTED if name in placed.heard])

    def _heard_key(self, name: str, source: OwnedEvent) -> tuple[Any, str]:
        owner = source.owner
        if isinstance(owner, CustomEvent):
            return None, heard_as(owner.name, True)
        if isinstance(owner, type):
            own = issubclass(self.form, owner) or "_is_root" in vars(owner)
            return (None if own else owner), source.name
        return self._path(name, owner, f"can't handle '{source!r}'"), source.name

    def _path(self, name: str, owner: object, what: str) -> str:
        """Return the path of a declaration that something refers to."""
        first = owner
        while isinstance(first, Within):
            first = first.outer
        path = name_of(owner) if first in self.paths and isinstance(owner, Within) else self.paths.get(owner, "")
        if path in self.plan.controls or path in self.plan.groups:
            return str(path)
        wrong = name_of(owner) or repr(owner)
        hint = suggest(wrong, self.plan.controls)
        if wrong in self.plan.controls:
            hint = "it belongs to another class; use the control of this class"
        raise self.fail(name, f"{what}: {self.form.__name__} has no control '{wrong}'; {hint}")

    def _takes_event(self, name: str, function: Callable[..., object]) -> bool:
        count = positional(function)
        if count not in (1, 2):
            raise self.fail(name, f"a handler takes self or (self, event), not {count} arguments")
        return count == 2

    def _checks(self, name: str, marks: tuple[CheckMark, ...], value: Any) -> None:
        for number, mark in enumerate(reversed(marks)):
            if any(self._gone(control) for control in (*mark.controls, mark.at)):
                continue
            paths = tuple(self._path(name, decl, "can't check") for decl in mark.controls)
            if positional(value) != len(paths) + 1:
                given = ", ".join(paths)
                raise self.fail(
                    name,
                    f"a check of {given} takes self and {len(paths)} value{'s' if len(paths) != 1 else ''}, in this order",
                )
            at = self._path(name, mark.at, "can't show a marker at") if mark.at is not None else paths[0]
            for path in (*paths, at):
                if path in self.plan.groups or not self.plan.controls[path].is_checked:
                    named = (self.plan.placed(path) or self.plan.controls[path]).decl.named
                    raise self.fail(name, f"can't check '{path}': {named} has nothing to check")
            rule = name if len(marks) == 1 else f"{name} {number + 1}"
            check = CheckPlan(rule, value, paths, at, while_typing=mark.while_typing, blanks=mark.blanks, latch=mark.latch)
            self.plan.controls[at].checks += (check,)
            self.plan.controls[at].validated = True
            for path in dict.fromkeys(paths):
                self.plan.controls[path].checked_by += (check,)
                self.plan.controls[path].validated |= at not in paths

    def _facts(self) -> None:
        """Check that the calls that ask a prompt pass the facts that it names."""
        for name, prompt in self.plan.prompts.items():
            facts = [field for field in prompt.fields if field not in self.plan.controls]
            if not facts or self.root.__name__ == "Group" or "." in name:
                continue
            methods = [value for base in self.form.__mro__ for value in vars(base).values() if hasattr(value, "__code__")]
            asking = [list(codes_in(method.__code__)) for method in methods if name in names_in(method.__code__)]
            codes = [code for names in asking for code in names]
            if not asking or any(SPREADS in code.co_code[::2] for code in codes):
                continue
            passed = [word for code in codes for const in code.co_consts if isinstance(const, tuple) for word in const]
            for fact in facts:
                if fact not in passed:
                    known = [*self.plan.controls, *(word for word in passed if isinstance(word, str))]
                    raise self.fail(
                        name,
                        f"'{{{fact}}}' isn't a control, and no ask(…) passes it; {suggest(fact, known)}",
                    )

    def _rules(self, control: ControlPlan) -> Iterator[str]:
        """Check a control's rules; yield the names in their code."""
        for prop, rule in control.decl.rules.items():
            where = f"{control.path}.{prop}"
            if isinstance(rule, Derived | Catalog):
                if isinstance(rule, Catalog) and prop != "choices":
                    raise self.fail(where, f"a Catalog can only be used for choices, not {prop}")
                control.inputs[prop] = tuple(self._path(where, given, "can't follow") for given in rule.inputs)
            elif hasattr(rule, "__code__"):
                if positional(rule) != 1:
                    raise self.fail(where, f"a rule takes one argument, the form, not {positional(rule)}")
                yield from names_in(rule.__code__)

    def _shortcut(self, control: ControlPlan) -> None:
        keys = control.decl.constants.get("keys")
        if not keys:
            return
        other = self.plan.shortcuts.setdefault(keys, control.path)
        if other != control.path:
            raise self.fail(control.path, f"shortcut {keys} is already used by '{other}'; choose another")


def may_start(decl: Declaration[Any]) -> bool:
    """Return True if a control may start with a value."""
    if not decl.holds_value:
        return False
    constants = decl.constants
    start = constants.get("default", None if "default" in decl.rules else constants.get("value"))
    blank: Value = getattr(decl, "blank", "")
    return "default" in decl.rules or (start is not None and not same(start, blank))


def codes_in(code: CodeType) -> Iterator[CodeType]:
    """Yield code, and the code defined in it."""
    yield code
    for constant in code.co_consts:
        if isinstance(constant, CodeType):
            yield from codes_in(constant)


def names_in(code: CodeType) -> Iterator[str]:
    for each in codes_in(code):
        yield from each.co_names


def positional(function: Any) -> int:
    """Return the number of required positional arguments (0: unknown)."""
    code = getattr(function, "__code__", None)
    if code is None:
        return 0
    required: int = code.co_argcount - len(function.__defaults__ or ())
    return required


def spaced(name: str) -> str:
    """Return a class name as a title: `VesselSearch` is "Vessel search"."""
    words = "".join(" " + letter.lower() if letter.isupper() else letter for letter in name).split()
    return " ".join(words).capitalize()
