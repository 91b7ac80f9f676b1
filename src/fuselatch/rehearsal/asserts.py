"""Turn a plain `assert` of a test into an expectation of a cue sheet."""

from __future__ import annotations

import ast
import textwrap
from typing import TYPE_CHECKING, Final

from fuselatch.core.forms.placing import placed_at
from fuselatch.core.model.errors import FuseLatchError
from fuselatch.rehearsal.expectations import Unmet, expect
from fuselatch.rehearsal.grammar import PROPERTIES

if TYPE_CHECKING:
    from fuselatch.rehearsal.desk import Desk

FLAGS: Final = frozenset({"enabled", "visible", "required", "read_only", "marker"})
"""Properties that are true or false."""


def unmet_words(statement: str, desk: Desk) -> tuple[str, ...] | None:
    """Return the words after `expect` that fail as an assert did, or None.

    This knows a property of a front form's control (`assert desk.form.port.enabled`, also with `not`), one compared with
    `==` or `!=` to text, a number or a boolean, and `assert "part" in desk.prompt.text`.
    """
    try:
        tree = ast.parse(textwrap.dedent(statement).strip())
    except SyntaxError:
        return None
    first = tree.body[0] if tree.body else None
    words = words_of(first.test, desk) if isinstance(first, ast.Assert) else None
    try:
        if words is not None:
            expect(desk, words)
    except Unmet:
        return words
    except (FuseLatchError, AttributeError, TypeError):
        pass
    return None


def words_of(test: ast.expr, desk: Desk) -> tuple[str, ...] | None:
    """Return an assertion as the words after `expect`."""
    if isinstance(test, ast.UnaryOp) and isinstance(test.op, ast.Not):
        words = words_of(test.operand, desk)
        return None if words is None else words[1:] if words[0] == "not" else ("not", *words)
    if isinstance(test, ast.Compare) and len(test.ops) == 1:
        left, operator, right = test.left, test.ops[0], test.comparators[0]
        if isinstance(operator, ast.In) and ast.unparse(right).endswith(".prompt.text"):
            part = plain(left)
            return None if part is None else ("prompt", part)
        target, word = target_of(left, desk), plain(right)
        if target is None or word is None or not isinstance(operator, ast.Eq | ast.NotEq):
            return None
        return (target, word) if isinstance(operator, ast.Eq) else ("not", target, word)
    target = target_of(test, desk)
    return (target,) if target is not None and target.rpartition(".")[2] in FLAGS else None


def target_of(node: ast.expr, desk: Desk) -> str | None:
    """Return `berth.value` for `desk.at(BookingForm).berth.value`, if it is a control."""
    parts = ast.unparse(node).split(".")
    if parts[-1] not in PROPERTIES or not desk.session.forms:
        return None
    for start in range(1, len(parts) - 1):
        path = ".".join(parts[start:-1])
        if placed_at(desk.form, path) is not None:
            return f"{path}.{parts[-1]}"
    return None


def plain(node: ast.expr) -> str | None:
    """Return a constant as a word; also the argument of `Decimal("1.5")` and the like."""
    if isinstance(node, ast.Call) and len(node.args) == 1 and not node.keywords:
        node = node.args[0]
    if not isinstance(node, ast.Constant):
        return None
    value = node.value
    if isinstance(value, bool):
        return "yes" if value else "no"
    return "" if value is None else str(value)
