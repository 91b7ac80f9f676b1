"""Find values that can never leave their form: what always hides or disables their control."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from typing import Any, Final

from fuselatch.core.forms.plans import ControlPlan, FormPlan, Handler
from fuselatch.report.reading import code_of, uses

SHOWN: Final = {"visible": "hides", "enabled": "disables"}
AT_START: Final = ("opening", "opened")


def never_leave(plan: FormPlan, class_body: ast.ClassDef) -> Iterator[tuple[str, str]]:
    """Yield the controls with a value that can never leave the form, and why: path and reason.

    A default, or a value that a handler sets, stays behind where a rule or a handler hides or disables the control.
    """
    assigned = list(assignments(class_body))
    for path, control in plan.controls.items():
        parts = path.split(".")
        valued = control.decl.constants.get("default") is not None or any(
            target == [*parts, "value"] for target, *_ in assigned
        )
        if len(parts) == 1 and valued:
            reason = left_out(plan, control, path, assigned)
            if reason:
                yield path, reason


def left_out(plan: FormPlan, control: ControlPlan, path: str, assigned: list[tuple[list[str], Any, str]]) -> str:
    """Return what always hides or disables a control: "its rule hides it", or ""."""
    for prop, does in SHOWN.items():
        rule = control.decl.rules.get(prop)
        if rule is not None:
            if always_false(rule):
                return f"its rule for {prop} always {does} it"
            continue
        at_start = {handler.name.rpartition(".")[2] for handler in started(plan)}
        made = [(value, place) for target, value, place in assigned if target == [path, prop]]
        always = [place for value, place in made if value is False and place in at_start]
        if always and all(value is False for value, _ in made) and control.decl.constants.get(prop) is not False:
            return f"{always[0]} {does} it for good"
    return ""


def started(plan: FormPlan) -> Iterator[Handler]:
    """Yield the handlers that run each time the form opens."""
    for event in AT_START:
        yield from plan.heard.get(event, ())


def always_false(rule: object) -> bool:
    """Return True if a rule reads nothing and returns False."""
    code = code_of(rule)
    return code is not None and not code.co_names and code.co_consts[-1:] == (False,) and not uses(rule)


def assignments(class_body: ast.ClassDef) -> Iterator[tuple[list[str], Any, str]]:
    """Yield what a class's methods assign: the path, the literal (None if computed), and the method if it always runs."""
    for method in class_body.body:
        if not isinstance(method, ast.FunctionDef) or not method.args.args:
            continue
        first = method.args.args[0].arg
        for node in ast.walk(method):
            targets = node.targets if isinstance(node, ast.Assign) else [getattr(node, "target", None)]
            for target in targets:
                path = path_of(target, first)
                if path:
                    value = getattr(node, "value", None)
                    literal = value.value if isinstance(value, ast.Constant) else None
                    yield path, literal, method.name if node in method.body else ""


def path_of(target: ast.expr | None, first: str) -> list[str]:
    """Return the attributes of `self.pier.value` as a list, or an empty one."""
    names: list[str] = []
    while isinstance(target, ast.Attribute):
        names.insert(0, target.attr)
        target = target.value
    return names if isinstance(target, ast.Name) and target.id == first else []
