"""Remarks: what isn't a mistake, but worth a look.

A slow call that fails without an `except` around it undoes its gesture, and the user reads the bare error.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator
from typing import Final, NamedTuple

from fuselatch.review.leaving import path_of

REMARK: Final = "remark"
"""The kind of a remark."""
OWN_ENDS: Final = frozenset({"TimedOut", "CallCancelled"})
"""The errors of a slow call that aren't its function's."""


class OwnCall(NamedTuple):
    """A call of a form's method by another one. `is_caught`: an `except` around it catches a function's errors."""

    by: ast.FunctionDef
    name: str
    node: ast.Call
    is_caught: bool


def uncaught_calls(tree: ast.ClassDef) -> Iterator[tuple[int, str, str]]:
    """Yield the slow calls of a class whose errors no method catches, neither there nor where that method is called."""
    found = [call for method in tree.body if isinstance(method, ast.FunctionDef) for call in own_calls(method)]
    guarded = {call.name for call in found if call.is_caught} - {call.name for call in found if not call.is_caught}
    for call in found:
        # A handler is called by the form as well.
        is_guarded = call.by.name in guarded and not call.by.decorator_list
        if call.name == "call_elsewhere" and not call.is_caught and not is_guarded:
            what = ast.unparse(call.node.args[0]) if call.node.args else "a function"
            problem = f"{call.by.name} calls {what} elsewhere without catching its errors"
            yield call.node.lineno, problem, "catch them, or the user reads the bare error"


def own_calls(method: ast.FunctionDef) -> Iterator[OwnCall]:
    """Yield the calls of `self.name(…)` in a method."""
    first = method.args.args[0].arg if method.args.args else ""
    for node, is_caught in calls_within(method, False):
        names = path_of(node.func, first)
        if len(names) == 1:
            yield OwnCall(method, names[0], node, is_caught)


def calls_within(node: ast.AST, is_caught: bool) -> Iterator[tuple[ast.Call, bool]]:
    """Yield each call within a node, and if what it raises is caught."""
    if isinstance(node, ast.Call):
        yield node, is_caught
    in_body = is_caught or catches_errors(node)
    for name, value in ast.iter_fields(node):
        for part in value if isinstance(value, list) else [value]:
            if isinstance(part, ast.AST):
                yield from calls_within(part, in_body if name == "body" else is_caught)


def catches_errors(node: ast.AST) -> bool:
    """Return True for a statement that catches more than the ends that a slow call itself has."""
    if isinstance(node, ast.With):
        return any("suppress" in ast.unparse(item.context_expr) for item in node.items)
    if not isinstance(node, ast.Try | ast.TryStar):
        return False
    types = [each.type for each in node.handlers]
    kinds = [kind for each in types for kind in (each.elts if isinstance(each, ast.Tuple) else [each])]
    return any(kind is None or ast.unparse(kind).rpartition(".")[2] not in OWN_ENDS for kind in kinds)
