"""Problems that a form's code shows: comparisons that are never true, events that never come, names that aren't there."""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterator, Mapping, Sequence
from decimal import Decimal
from string import Formatter
from typing import Any, Final

from fuselatch.core.forms.form import Form, plan_of
from fuselatch.core.forms.inputs import plain_text
from fuselatch.core.forms.params import MISSING
from fuselatch.core.forms.plans import ControlPlan, FormPlan
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.model.choices import Choices
from fuselatch.core.model.events import EVENTS
from fuselatch.core.model.names import closest, suggest
from fuselatch.core.model.outcome import ACCEPTED, CANCELLED
from fuselatch.core.model.values import Value
from fuselatch.review.importing import names_of
from fuselatch.review.leaving import path_of

Found = Iterator[tuple[int, str, str]]
OPENING: Final = frozenset({"open", "show"})
OF_OPENING: Final = frozenset({"hiding", "place", "at", "only"})
SAYING: Final = frozenset({"ask", "confirm", "inform"})
BOTH: Final = ("minimum", "maximum")
BOUNDS: Final[dict[type, tuple[str, ...]]] = {
    ast.Eq: BOTH, ast.NotEq: BOTH, ast.Gt: ("maximum",), ast.GtE: ("maximum",), ast.Lt: ("minimum",), ast.LtE: ("minimum",),
}  # fmt: skip
"""The bounds beyond which a comparison is never true, by its operator."""
SIGNS: Final[dict[type, str]] = {ast.Gt: ">", ast.GtE: ">=", ast.Lt: "<", ast.LtE: "<="}
MIRRORED: Final[dict[type, type]] = {ast.Gt: ast.Lt, ast.GtE: ast.LtE, ast.Lt: ast.Gt, ast.LtE: ast.GtE}


class Body:
    """The body of a form's class: its methods, and the functions in its declarations.

    `names`: those of its module. `uses`: returns how often a name is used in it and near it.
    """

    def __init__(
        self,
        kind: type,
        plan: FormPlan,
        tree: ast.ClassDef,
        names: Mapping[str, Any],
        uses: Callable[[str], int],
    ) -> None:
        self.names = names
        self.uses = uses
        self.kind = kind
        self.plan = plan
        self.tree = tree
        self.methods = [each for each in tree.body if isinstance(each, ast.FunctionDef) and each.args.args]

    def functions(self) -> Iterator[tuple[ast.AST, str]]:
        """Yield each method and each function in a declaration, with the name of its first argument."""
        for method in self.methods:
            yield method, method.args.args[0].arg
        for statement in self.tree.body:
            for node in ast.walk(statement) if not isinstance(statement, ast.FunctionDef) else ():
                if isinstance(node, ast.Lambda) and node.args.args:
                    yield node, node.args.args[0].arg

    def named(self, name: str) -> Any:
        """Return what a name of the form's module means, or None."""
        return self.names.get(name)


def compared(tree: ast.AST) -> Iterator[tuple[ast.expr, type, ast.expr, int]]:
    """Yield each comparison: what is compared, how, with what, and the line. `in` and `match` compare with each item."""
    for node in ast.walk(tree):
        if isinstance(node, ast.Compare):
            for left, op, right in zip([node.left, *node.comparators], node.ops, node.comparators, strict=False):
                yield from ((*each, node.lineno) for each in compared_by(left, op, right))
        elif isinstance(node, ast.Match):
            patterns = [pattern for case in node.cases for pattern in ast.walk(case.pattern)]
            values = [pattern for pattern in patterns if isinstance(pattern, ast.MatchValue)]
            yield from ((node.subject, ast.Eq, pattern.value, pattern.lineno) for pattern in values)


def compared_by(left: ast.expr, op: ast.cmpop, right: ast.expr) -> Iterator[tuple[ast.expr, type, ast.expr]]:
    """Yield what one operator compares, in both directions."""
    if not isinstance(op, ast.In | ast.NotIn):
        yield left, type(op), right
        yield right, MIRRORED.get(type(op), type(op)), left
    elif isinstance(right, ast.Tuple | ast.List | ast.Set):
        yield from ((left, ast.Eq, item) for item in right.elts)


def constant(node: ast.expr) -> Value:
    """Return a literal's value, a negative number's too; `...` if it isn't one."""
    try:
        value = ast.literal_eval(node)
    except (ValueError, TypeError, SyntaxError):
        return ...
    return value if value is None or isinstance(value, bool | int | float | str) else ...


def answers(body: Body) -> Found:
    """Find answers compared with a caption that no button has."""
    for method in body.methods:
        first = method.args.args[0].arg
        asked: dict[str, tuple[str, ...] | None] = {}
        for node in ast.walk(method):
            target = node.targets[0] if isinstance(node, ast.Assign) else getattr(node, "target", None)
            value = getattr(node, "value", None)
            if isinstance(node, ast.Assign | ast.AnnAssign | ast.NamedExpr) and isinstance(target, ast.Name):
                # A name that also has other values can be anything.
                buttons = buttons_of(body, value, first)
                before = asked.get(target.id, ())
                asked[target.id] = None if buttons is None or before is None else (*before, *buttons)
        for left, op, right, line in compared(method):
            answer = left.target if isinstance(left, ast.NamedExpr) else left
            known = asked.get(answer.id) if isinstance(answer, ast.Name) else buttons_of(body, left, first)
            said = constant(right)
            if known and op in (ast.Eq, ast.NotEq) and isinstance(said, str) and said not in known:
                yield line, f"no button answers '{said}'", suggest(said, dict.fromkeys(known))


def buttons_of(body: Body, call: ast.AST | None, first: str) -> tuple[str, ...] | None:
    """Return the captions of a call of `self.ask(…)`, or None if they aren't known."""
    if not (isinstance(call, ast.Call) and path_of(call.func, first) == ["ask"] and call.args):
        return None
    asks = call.args[0]
    path = path_of(asks, first)
    prompt: Any = body.plan.prompts.get(path[0]) if len(path) == 1 else None
    if isinstance(asks, ast.Name):
        prompt = body.named(asks.id)
    if isinstance(prompt, Prompt):
        return prompt.buttons
    given = next((each.value for each in call.keywords if each.arg == "buttons"), None)
    if isinstance(given, ast.Tuple | ast.List):
        captions = [constant(each) for each in given.elts]
        return tuple(captions) if all(isinstance(each, str) for each in captions) else None
    return None


def values(body: Body) -> Found:
    """Find values compared with an item that isn't offered, or with a number outside the bounds."""
    for tree, first in body.functions():
        for left, op, right, line in compared(tree):
            path = path_of(left, first)
            if len(path) > 1 and path[-1] in ("value", "valid_value"):
                yield from never_equal(body.plan.controls.get(".".join(path[:-1])), op, right, line)
    for method in body.methods:
        arguments = checked_by(method)
        for left, op, right, line in compared(method) if arguments else ():
            if isinstance(left, ast.Name) and left.id in arguments:
                yield from never_equal(body.plan.controls.get(arguments[left.id]), op, right, line)


def checked_by(method: ast.FunctionDef) -> Mapping[str, str]:
    """Return the controls that a check's arguments are the values of, by argument."""
    for decorator in method.decorator_list:
        if isinstance(decorator, ast.Call) and isinstance(decorator.func, ast.Name) and decorator.func.id == "check":
            names = [each.id for each in decorator.args if isinstance(each, ast.Name)]
            return dict(zip((each.arg for each in method.args.args[1:]), names, strict=False))
    return {}


def never_equal(control: ControlPlan | None, op: type, right: ast.expr, line: int) -> Found:
    """Find out that a comparison with a control's value is never true."""
    said = constant(right)
    if control is None or said is ... or said is None or said == "":
        return
    constants = control.decl.constants
    offered = constants.get("choices")
    if isinstance(offered, Choices) and len(offered) and not control.decl.other and not control.decl.multiple:
        if op in (ast.Eq, ast.NotEq) and said not in offered:
            yield line, f"{control.path} offers no {said!r}", suggest(str(said), [str(item) for item in offered])
        return
    if not isinstance(said, int | float) or isinstance(said, bool):
        return
    for word in BOUNDS.get(op, ()):
        bound = constants.get(word)
        if not isinstance(bound, int | float | Decimal):
            continue
        beyond = said > bound if word == "maximum" else said < bound
        if beyond or (said == bound and op in (ast.Gt, ast.Lt)):
            compared_with = f"{SIGNS.get(op, '')} {said}".strip()
            problem = f"{control.path} is never {compared_with}: its {word} is {plain_text(bound)}"
            yield line, problem, "compare with a number within the bounds"


def silent_events(body: Body) -> Found:
    """Find handlers for events that can't come."""
    for path, control in body.plan.controls.items():
        decl = control.decl
        if "typed" in control.heard and getattr(decl, "multiple", False):
            yield from unheard(body, control, "typed", "several items can't be typed")
        elif "typed" in control.heard and decl.constants.get("look") in ("list", "radio"):
            yield from unheard(body, control, "typed", f"with look={decl.constants['look']!r} it is picked, not typed")
        if decl.constants.get("read_only") is True and "typed" in control.heard:
            yield from unheard(body, control, "typed", f"{path} is read-only")
        if getattr(decl, "max_items", None) == 0 and "line_added" in control.heard:
            yield from unheard(body, control, "line_added", "max_items is 0")


def unheard(body: Body, control: ControlPlan, event: str, why: str) -> Found:
    for handler in control.heard[event]:
        yield handler.where[1], f"{handler.name} never runs: {why}", f"handle {control.path}.changed"


def undecorated(body: Body) -> Found:
    """Find methods that look like handlers, but that no event runs."""
    events = {each.name for each in EVENTS}
    for method in body.methods:
        if method.decorator_list or method.name.startswith("__") or body.uses(method.name):
            continue
        takes_event = len(method.args.args) == 2 and (
            method.args.args[1].arg == "event" or ast.unparse(method.args.args[1].annotation or ast.Name("")) == "Event"
        )
        control, _, event = method.name.removeprefix("on_").removeprefix("when_").rpartition("_")
        is_named = event in events and (control in body.plan.controls or control == "form")
        if takes_event or (is_named and len(method.args.args) == 1):
            of = f"{control}.{event}" if is_named and control != "form" else "CONTROL.EVENT"
            yield (
                method.lineno,
                f"{body.kind.__name__}.{method.name} looks like a handler, but no event runs it",
                f"put @{of} above it",
            )


def opened(body: Body) -> Found:
    """Find forms that are opened with a parameter that they don't have, and outcomes that are read by a wrong name."""
    for method in body.methods:
        first = method.args.args[0].arg
        outcomes: dict[str, type[Form] | None] = {}
        for node in ast.walk(method):
            if isinstance(node, ast.Call) and len(path := path_of(node.func, first)) == 1 and path[0] in OPENING:
                form = form_of(body, node)
                yield from wrong_params(form, node) if form is not None else ()
            if isinstance(node, ast.Assign | ast.NamedExpr):
                target = node.targets[0] if isinstance(node, ast.Assign) else node.target
                call = node.value
                is_open = isinstance(call, ast.Call) and path_of(call.func, first) == ["open"]
                if isinstance(target, ast.Name):
                    opens = form_of(body, call) if is_open and isinstance(call, ast.Call) else None
                    outcomes[target.id] = opens if target.id not in outcomes else None
        for node in ast.walk(method):
            if not (
                isinstance(node, ast.Subscript) and isinstance(node.value, ast.Attribute) and node.value.attr == "values"
            ):
                continue
            owner, key = node.value.value, constant(node.slice)
            opens = outcomes.get(owner.id) if isinstance(owner, ast.Name) else None
            if isinstance(owner, ast.Call) and path_of(owner.func, first) == ["open"]:
                opens = form_of(body, owner)
            if opens is None or not isinstance(key, str):
                continue
            held = [path for path, control in plan_of(opens).controls.items() if control.decl.holds_value]
            if key not in held:
                yield node.lineno, f"the outcome of {opens.__name__} has no '{key}'", suggest(key, held)


def form_of(body: Body, call: ast.Call) -> type[Form] | None:
    """Return the form class that a call opens, if its code shows it."""
    named = call.args[0] if call.args else None
    form = body.named(named.id) if isinstance(named, ast.Name) else None
    return form if isinstance(form, type) and issubclass(form, Form) else None


def wrong_params(form: type[Form], call: ast.Call) -> Found:
    params = plan_of(form).params
    given = [each.arg for each in call.keywords]
    for name in given:
        if name is not None and name not in params and name not in OF_OPENING:
            yield call.lineno, f"{form.__name__} has no parameter '{name}'", suggest(name, params)
    missing = [name for name, param in params.items() if param.default is MISSING and name not in given]
    if missing and None not in given:
        yield call.lineno, f"{form.__name__} is opened without its parameter '{missing[0]}'", f"pass {missing[0]}=…"


def facts(body: Body) -> Found:
    """Find names in braces of a text for the user that are neither controls nor given."""
    for method in body.methods:
        first = method.args.args[0].arg
        for node in ast.walk(method):
            if not (isinstance(node, ast.Call) and len(path := path_of(node.func, first)) == 1 and path[0] in SAYING):
                continue
            text = constant(node.args[0]) if node.args else ...
            given = [each.arg for each in node.keywords]
            if not isinstance(text, str) or None in given:
                continue
            known = [*body.plan.controls, *(name for name in given if name is not None)]
            for name in names_in_braces(text):
                if name not in known:
                    yield node.lineno, f"the text has '{{{name}}}', which isn't a control or a fact", suggest(name, known)


def names_in_braces(text: str) -> Sequence[str]:
    """Return the names in braces of a text."""
    try:
        return [name for _, name, _, _ in Formatter().parse(text) if name and name.isidentifier()]
    except ValueError:
        return []


def defaults(body: Body) -> Found:
    """Find defaults that are never used: not offered, or made of an entry that has no value yet."""
    order = [*body.plan.controls]
    for path, control in body.plan.controls.items():
        constants, rule = control.decl.constants, control.decl.rules.get("default")
        given, offered = constants.get("default"), constants.get("choices")
        line = line_of(body, path)
        if isinstance(offered, Choices):
            if len(offered) == 0 and constants.get("required") is True:
                yield line, f"{path} is required and has no choices", "give it choices, or set them in a rule"
            items = given if isinstance(given, tuple) else (given,)
            if len(offered) and isinstance(given, str | int | float | tuple) and any(item not in offered for item in items):
                yield (
                    line,
                    f"the default {given!r} of {path} isn't offered",
                    suggest(str(given), [str(each) for each in offered]),
                )
        if rule is not None and "." not in path:
            yield from reads_too_early(body, path, rule, order[order.index(path) :])


def reads_too_early(body: Body, path: str, rule: object, later: Sequence[str]) -> Found:
    """Find entries that a default's rule reads before they have a value."""
    rules = [
        (node, first) for node, first in body.functions() if isinstance(node, ast.Lambda) and node.lineno == code_line(rule)
    ]
    for read, first in [(read, first) for node, first in rules for read in ast.walk(node)]:
        names = path_of(read, first) if isinstance(read, ast.Attribute) else []
        if isinstance(read, ast.Attribute) and len(names) == 2 and names[1] == "value" and names[0] in later:
            problem = f"the default of {path} reads {names[0]}, which has no value yet"
            yield read.lineno, problem, "defaults are made in tab order; use a rule for the value"


def code_line(rule: object) -> int:
    """Return the first line of a function's code, or 0."""
    code = getattr(rule, "__code__", None)
    return code.co_firstlineno if code is not None else 0


def line_of(body: Body, path: str) -> int:
    """Return the line of a declaration."""
    for statement in body.tree.body:
        targets = statement.targets if isinstance(statement, ast.Assign) else [getattr(statement, "target", None)]
        if any(isinstance(target, ast.Name) and target.id == path for target in targets):
            return statement.lineno
    return body.tree.lineno


def asking_pointers(body: Body) -> Found:
    """Find pointer handlers that set a value whose handler asks."""
    asking = {
        path
        for path, control in body.plan.controls.items()
        for handler in control.heard.get("changed", ())
        if asks(body, handler.name.rpartition(".")[2])
    }
    pointing = [
        (f"{handler.name} handles {control.path}.{event}", method)
        for control in body.plan.controls.values()
        for event in ("hovered", "unhovered")
        for handler in control.heard.get(event, ())
        if (method := method_named(body, handler.name.rpartition(".")[2])) is not None
    ]
    for handles, method in pointing:
        for node in ast.walk(method):
            names = path_of(node.targets[0], method.args.args[0].arg) if isinstance(node, ast.Assign) else []
            if isinstance(node, ast.Assign) and len(names) == 2 and names[1] == "value" and names[0] in asking:
                problem = f"{handles} and sets {names[0]}, whose handler asks"
                yield node.lineno, problem, "a pointer handler can't wait; use self.say"


def method_named(body: Body, name: str) -> ast.FunctionDef | None:
    """Return a method, or None."""
    return next((each for each in body.methods if each.name == name), None)


def asks(body: Body, name: str) -> bool:
    """Return True if a method waits for the user."""
    method = method_named(body, name)
    return method is not None and any(
        isinstance(node, ast.Call)
        and path_of(node.func, method.args.args[0].arg) in ([word] for word in (*SAYING, "open", "ask_value"))
        for node in ast.walk(method)
    )


def verdicts(body: Body) -> Found:
    """Find verdicts that are nearly "accepted" or "cancelled": as words of your own they skip every check."""
    for statement in body.tree.body:
        for name in names_of(statement):
            control = body.plan.controls.get(name)
            if control is not None and control.decl.closes is not None and not isinstance(statement, ast.FunctionDef):
                yield from mistyped(control.decl.closes, f"closes={control.decl.closes!r} of {name}", statement.lineno)
    for method in body.methods:
        for node in ast.walk(method):
            if isinstance(node, ast.Call) and path_of(node.func, method.args.args[0].arg) == ["close"] and node.args:
                said = constant(node.args[0])
                if isinstance(said, str):
                    yield from mistyped(said, f"close({said!r})", node.lineno)


def mistyped(verdict: str, where: str, line: int) -> Found:
    meant = closest(verdict, (ACCEPTED, CANCELLED))
    if meant is not None and meant != verdict:
        yield line, f"{where} is a verdict of your own, so no check runs", f"did you mean '{meant}'?"


READ: Final = (answers, values, silent_events, undecorated, opened, facts, defaults, asking_pointers, verdicts)
"""The functions that find problems in a body."""
