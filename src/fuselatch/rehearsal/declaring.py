"""Read a Python file to find out if it declares forms or scenes, without importing it: a script may do anything."""

from __future__ import annotations

import ast
import builtins
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Final

from fuselatch.rehearsal.imports import find, root_of

STANDARD: Final = sys.stdlib_module_names
FORMS: Final = frozenset({"Form"})
FORMS_AND_GROUPS: Final = frozenset({"Form", "Group"})
DEEPEST: Final = 20
"""How many files are read to find out what a base class is."""


def declares(path: Path, wanted: frozenset[str] = FORMS) -> bool:
    """Return True if a file declares a class of `wanted`, or a scene.

    Raises `OSError`, `ValueError` if it isn't text, and `SyntaxError`.
    """
    tree = ast.parse(path.read_text(encoding="utf-8-sig"))
    return declares_classes(tree, path, wanted) or any(is_marked(node) for node in ast.walk(tree))


def declares_classes(tree: ast.Module, path: Path, wanted: frozenset[str] = FORMS_AND_GROUPS) -> bool:
    """Return True if a file has a class that derives from one of `wanted`, in it or in the files that it imports."""
    return any(Bases(tree, path, wanted).has(node) for node in classes_in(tree.body))


def is_marked(node: ast.AST) -> bool:
    """Return True for a function that is marked as a scene."""
    return isinstance(node, ast.FunctionDef) and any(last_name(each) == "scene" for each in node.decorator_list)


class Bases:
    """The base classes of one file, followed into the files that it imports."""

    def __init__(self, tree: ast.Module, path: Path, wanted: frozenset[str], depth: int = 0) -> None:
        self.wanted = wanted
        self.depth = depth
        self.path = path
        self.classes = {node.name: node for node in ast.walk(tree) if isinstance(node, ast.ClassDef)}
        self.modules: dict[str, str] = {}
        self.names: dict[str, tuple[str, str]] = {}
        self.stars: list[str] = []
        package = ".".join(path.relative_to(root_of(path)).with_suffix("").parts[:-1])
        for node in ast.walk(tree):
            if isinstance(node, ast.Import):
                self.modules |= {alias.asname or alias.name.partition(".")[0]: alias.name for alias in node.names}
            elif isinstance(node, ast.ImportFrom):
                parts = package.split(".") if package else []
                above = ".".join(parts[: len(parts) - node.level + 1]) if node.level else ""
                module = ".".join(filter(None, (above, node.module)))
                for alias in node.names:
                    if alias.name == "*":
                        self.stars.append(module)
                    self.names[alias.asname or alias.name] = module, alias.name

    def has(self, node: ast.ClassDef, seen: frozenset[str] = frozenset()) -> bool:
        """Return True if a class derives from one of the wanted ones. One that can't be found may do so."""
        return any(self._is_one(base, seen | {node.name}) for base in node.bases)

    def _is_one(self, base: ast.expr, seen: frozenset[str]) -> bool:
        first, last = first_name(base), last_name(base)
        if first in self.classes and first == last:
            return first not in seen and self.has(self.classes[first], seen)
        if first in self.names and first == last:
            return self._is_in(*self.names[first])
        if first in self.modules or first in self.names:
            module = self.modules.get(first) or ".".join(filter(None, self.names[first]))
            return self._is_in(module, last)
        if hasattr(builtins, first):
            return False
        # It comes from a star import, or isn't there at all.
        return any(self._is_in(module, last) for module in self.stars)

    def _is_in(self, module: str, name: str) -> bool:
        top = module.partition(".")[0]
        if top == "fuselatch":
            return name in self.wanted
        file = find(module, [self.path.parent, root_of(self.path)]) if self.depth < DEEPEST else None
        if top in STANDARD:
            return False
        if file is None:
            return True
        try:
            tree = ast.parse(file.read_text(encoding="utf-8-sig"))
        except (OSError, SyntaxError, ValueError):
            return True
        inner = Bases(tree, file, self.wanted, self.depth + 1)
        if name in inner.classes:
            return inner.has(inner.classes[name])
        return (
            inner._is_in(*inner.names[name])
            if name in inner.names
            else any(inner._is_in(star, name) for star in inner.stars)
        )


def classes_in(body: list[ast.stmt]) -> Iterator[ast.ClassDef]:
    """Yield the classes of a module, also those within `if`, `try` or `with`."""
    for node in body:
        if isinstance(node, ast.ClassDef):
            yield node
        elif not isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            blocks = [getattr(node, name, []) for name in ("body", "orelse", "finalbody")]
            blocks += [handler.body for handler in getattr(node, "handlers", [])]
            for block in blocks:
                yield from classes_in(block)


def first_name(base: ast.expr) -> str:
    """Return the first name of a base class: "forms" of `forms.Desk[int]`."""
    while isinstance(base, ast.Attribute | ast.Subscript):
        base = base.value
    return base.id if isinstance(base, ast.Name) else ""


def last_name(base: ast.expr) -> str:
    """Return the last name of a base class or decorator: "Desk" of `forms.Desk[int]`."""
    while isinstance(base, ast.Subscript | ast.Call):
        base = base.value if isinstance(base, ast.Subscript) else base.func
    return base.attr if isinstance(base, ast.Attribute) else base.id if isinstance(base, ast.Name) else ""


def not_followed(tree: ast.Module, path: Path) -> tuple[int, str, str] | None:
    """Return the line, the problem and the fix if a file may have forms that can't be found by reading it; else None."""
    bases = Bases(tree, path, FORMS_AND_GROUPS)
    for node in classes_in(tree.body):
        for base in node.bases:
            name = first_name(base)
            hidden = name not in bases.classes and name not in bases.names and name not in bases.modules
            if bases.stars and hidden and not hasattr(builtins, name):
                star = next(
                    each for each in ast.walk(tree) if isinstance(each, ast.ImportFrom) and each.names[0].name == "*"
                )
                module = "." * star.level + (star.module or "")
                return (
                    star.lineno,
                    f"not checked: 'from {module} import *' hides which classes are forms",
                    "import each name",
                )
    for outer in ast.walk(tree):
        if isinstance(outer, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            for inner in ast.walk(outer):
                if inner is not outer and isinstance(inner, ast.ClassDef) and bases.has(inner):
                    within = f"class {inner.name} is within '{outer.name}'"
                    return inner.lineno, f"not checked: {within}, and only a module's own classes are read", "move it out"
        made = outer.args if isinstance(outer, ast.Call) and last_name(outer) == "type" else []
        if (
            len(made) == 3
            and isinstance(made[1], ast.Tuple)
            and any(bases._is_one(each, frozenset()) for each in made[1].elts)
        ):
            return outer.lineno, "not checked: type(…) makes a class that can't be read", "write class …:"  # type: ignore[attr-defined]
    return None
