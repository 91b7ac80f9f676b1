"""Slow calls whose failure nothing catches. That isn't a mistake: the gesture is undone, and the user reads the error."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from typing import Final

from fuselatch.review.leaving import path_of

REMARK: Final = "remark"
"""The kind of what is worth a look, but isn't a mistake."""
OWN_ENDS: Final = frozenset({"TimedOut", "CallCancelled"})
"""The errors of a slow call that aren't its function's."""


def uncaught_calls(tree: ast.ClassDef) -> Iterator[tuple[int, str, str]]:
    """Yield the slow calls of a class's methods whose failure no `try` around them, or around what calls them, catches."""
    methods = [each for each in tree.body if isinstance(each, ast.FunctionDef) and each.args.args]
    guarded = {name for method in methods for name, is_caught in calls_of(method) if is_caught}
    bare = {name for method in methods for name, is_caught in calls_of(method) if not is_caught}
    for method in methods:
        # A handler is called by the form as well.
        if method.name in guarded - bare and not method.decorator_list:
            continue
        first = method.args.args[0].arg
        for call, is_caught in placed(method.body, False):
            if path_of(call.func, first) != ["call_elsewhere"] or is_caught:
                continue
            what = ast.unparse(call.args[0]) if call.args else "a function"
            problem = f"{method.name} calls {what} elsewhere, and nothing catches what it raises: the gesture is undone then"
            yield call.lineno, problem, "catch it to tell the user more than the error"


def calls_of(method: ast.FunctionDef) -> Iterator[tuple[str, bool]]:
    """Yield the methods of its own object that a method calls, and if what they raise is caught."""
    first = method.args.args[0].arg
    for call, is_caught in placed(method.body, False):
        match path_of(call.func, first):
            case [name]:
                yield name, is_caught


def placed(found: list[ast.stmt], is_caught: bool) -> Iterator[tuple[ast.Call, bool]]:
    """Yield each call in some statements, and if a `try` or `suppress` around it catches a function's errors."""
    for statement in found:
        inner: dict[str, bool] = {}
        if isinstance(statement, ast.Try):
            inner["body"] = is_caught or any(map(catches, statement.handlers))
        elif isinstance(statement, ast.With):
            inner["body"] = is_caught or any("suppress" in ast.unparse(item.context_expr) for item in statement.items)
        for name, value in ast.iter_fields(statement):
            parts = value if isinstance(value, list) else [value]
            for part in parts:
                if isinstance(part, ast.stmt):
                    yield from placed([part], inner.get(name, is_caught))
                elif isinstance(part, ast.ExceptHandler):
                    yield from placed(part.body, is_caught)
                elif isinstance(part, ast.AST):
                    yield from ((node, is_caught) for node in ast.walk(part) if isinstance(node, ast.Call))


def catches(handler: ast.ExceptHandler) -> bool:
    """Return True if an `except` catches more than the ends that a slow call itself has."""
    if handler.type is None:
        return True
    kinds = handler.type.elts if isinstance(handler.type, ast.Tuple) else [handler.type]
    return any(ast.unparse(kind).rpartition(".")[2] not in OWN_ENDS for kind in kinds)
