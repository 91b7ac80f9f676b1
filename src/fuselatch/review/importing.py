"""Import a file of forms and find all its wrong declarations, not only the first."""

from __future__ import annotations
import __future__

import ast
import builtins
import importlib
import re
import sys
from collections.abc import Callable, Iterator
from contextlib import redirect_stdout
from importlib.util import find_spec
from pathlib import Path
from types import ModuleType
from typing import Any, Final

from fuselatch.core.model.errors import FuseLatchError, describe
from fuselatch.core.model.names import NoSuchName
from fuselatch.rehearsal.imports import root_of
from fuselatch.rehearsal.sources import is_installed

NOTE: Final = "__fuselatch_note__"
STANDARD: Final = sys.stdlib_module_names
TRIES: Final = 50
"""How many wrong members of one class are looked for."""

Wrong = Callable[[int, str], None]


class Importing:
    """A file that is imported: its `module`, the `broken` classes, and the names of their `refused` members."""

    def __init__(self, path: Path, wrong: Wrong) -> None:
        self.path = path
        self.wrong = wrong
        self.broken: set[str] = set()
        self.missing: set[str] = set()
        self.refused: set[str] = set()
        self._now: ast.stmt | None = None
        root = root_of(path)
        parts = path.relative_to(root).with_suffix("").parts
        self.name = ".".join(parts[:-1] if parts[-1] == "__init__" else parts)
        self.module = ModuleType(self.name)

    def run(self, tree: ast.Module) -> ModuleType:
        """Run the file statement by statement, and note what goes wrong."""
        module = self.module
        module.__file__ = str(self.path)
        module.__package__ = self.name.rpartition(".")[0]
        if self.path.stem == "__init__":
            module.__package__ = self.name
            module.__path__ = [str(self.path.parent)]
        module.__dict__[NOTE] = self._note
        before = sys.modules.get(self.name)
        if self.name.rpartition(".")[0]:
            importlib.import_module(self.name.rpartition(".")[0])
        sys.modules[self.name] = module
        future = any(isinstance(each, ast.ImportFrom) and each.module == "__future__" for each in tree.body)
        flags = __future__.annotations.compiler_flag if future else 0
        try:
            for statement in tree.body:
                self._now = statement
                if isinstance(statement, ast.ClassDef):
                    self._class(statement, flags)
                else:
                    self._execute(statement, flags)
        finally:
            if before is not None:
                sys.modules[self.name] = before
        return module

    def _execute(self, statement: ast.stmt, flags: int) -> BaseException | None:
        code = compile(ast.Module([statement], []), str(self.path), "exec", flags, dont_inherit=True)
        try:
            # The file's own output must not mix with the report.
            with redirect_stdout(sys.stderr):
                exec(code, self.module.__dict__)
        except (Exception, SystemExit) as error:
            if not isinstance(statement, ast.ClassDef):
                self._tell(statement, error)
                self.missing |= names_of(statement)
            return error
        return None

    def _class(self, statement: ast.ClassDef, flags: int) -> None:
        """Run a class body statement by statement; leave out members that are refused."""
        body = list(statement.body)
        described = self.missing.copy()
        for _ in range(TRIES):
            watched = ast.ClassDef(**{name: getattr(statement, name) for name in statement._fields})
            ast.copy_location(watched, statement)
            watched.body = [watched_statement(each) for each in body] or [ast.copy_location(ast.Pass(), statement)]
            ast.fix_missing_locations(watched)
            error = self._execute(watched, flags)
            if error is None:
                self.missing = described
                return
            self.broken.add(statement.name)
            if is_follow_up(error, self.missing):
                break
            culprit = member_named(str(error), statement.name, body)
            self._tell(culprit or statement, error)
            if culprit is None:
                break
            body.remove(culprit)
            described |= self.missing
            self.missing |= names_of(culprit)
            self.refused |= names_of(culprit)
        self.missing = described | {statement.name}

    def _note(self, line: int) -> None:
        error = sys.exc_info()[1]
        if isinstance(self._now, ast.ClassDef) and error is not None:
            found = next((each for each in self._now.body if each.lineno == line), None)
            self.broken.add(self._now.name)
            if found is not None and not names_of(found) & self.missing:
                self._tell(found, error)
                self.missing |= names_of(found)
                self.refused |= names_of(found)

    def _tell(self, statement: ast.stmt, error: BaseException) -> None:
        if is_follow_up(error, self.missing):
            return
        line = line_in(error, self.path) if not isinstance(error, FuseLatchError) else statement.lineno
        what = str(error) if isinstance(error, FuseLatchError | NoSuchName) else f"can't import: {describe(error)}"
        self.wrong(line or statement.lineno, what)


def declares_forms(tree: ast.Module) -> bool:
    """Return True if a file has a class that may be a form: its base is imported, and not from Python's own library."""
    possible = possible_bases(tree)
    return any(may_be_form(node, possible) for node in classes_in(tree.body))


def possible_bases(tree: ast.Module, elsewhere: bool = True) -> set[str]:
    """Return the names that a file imports from elsewhere than Python's own library.

    `elsewhere`: also those from installed packages other than this one.
    """
    possible: set[str] = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom) and (node.level or may_have_forms(node.module or "", elsewhere)):
            possible |= names_of(node)
        elif isinstance(node, ast.Import):
            possible |= {
                alias.asname or alias.name.partition(".")[0] for alias in node.names if may_have_forms(alias.name, elsewhere)
            }
    return possible


def may_have_forms(module: str, elsewhere: bool) -> bool:
    """Return True if a module may define forms: it isn't of Python's own library, or, if so chosen, of another package."""
    top = module.partition(".")[0]
    if top in STANDARD or elsewhere or top == "fuselatch":
        return top not in STANDARD
    try:
        found = find_spec(top)
    except (ImportError, ValueError):
        return True
    return found is None or found.origin is None or not is_installed(Path(found.origin))


def may_be_form(node: ast.ClassDef, possible: set[str]) -> bool:
    """Return True if a base of a class is one of these names."""
    return any(first_name(base) in possible for base in node.bases)


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


def not_followed(tree: ast.Module) -> tuple[int, str, str] | None:
    """Return the line, the problem and the fix if a file may have forms that can't be found by reading it; else None."""
    stars = [
        node
        for node in ast.walk(tree)
        if isinstance(node, ast.ImportFrom) and names_of(node) == {"*"}
        if node.level or (node.module or "").partition(".")[0] not in STANDARD
    ]
    known = {name for node in ast.walk(tree) if isinstance(node, ast.stmt) for name in names_of(node)} | set(dir(builtins))
    for node in classes_in(tree.body) if stars else ():
        if any(first_name(base) not in known for base in node.bases):
            module = "." * stars[0].level + (stars[0].module or "")
            return (
                stars[0].lineno,
                f"not checked: 'from {module} import *' hides which classes are forms",
                "import each name",
            )
    possible = possible_bases(tree, elsewhere=False)
    for outer in ast.walk(tree):
        if isinstance(outer, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            for inner in ast.walk(outer):
                if inner is not outer and isinstance(inner, ast.ClassDef) and may_be_form(inner, possible):
                    within = f"class {inner.name} is within '{outer.name}'"
                    return inner.lineno, f"not checked: {within}, and only a module's own classes are read", "move it out"
        is_made = isinstance(outer, ast.Call) and isinstance(outer.func, ast.Name) and outer.func.id == "type"
        if is_made and isinstance(outer, ast.Call) and len(outer.args) == 3 and isinstance(outer.args[1], ast.Tuple):
            if any(first_name(base) in possible for base in outer.args[1].elts):
                return outer.lineno, "not checked: type(…) makes a class that can't be read", "write class …:"
    return None


def first_name(base: ast.expr) -> str:
    """Return the first name of a base class: "forms" of `forms.Desk[int]`."""
    while isinstance(base, ast.Attribute | ast.Subscript):
        base = base.value
    return base.id if isinstance(base, ast.Name) else ""


def watched_statement(statement: ast.stmt) -> ast.stmt:
    """Return a statement that notes its failure and lets the rest run."""
    if isinstance(statement, ast.Expr | ast.Pass):
        return statement
    call = ast.Expr(ast.Call(ast.Name(NOTE, ast.Load()), [ast.Constant(statement.lineno)], []))
    handler = ast.ExceptHandler(ast.Name("Exception", ast.Load()), None, [call])
    return ast.copy_location(ast.Try([statement], [handler], [], []), statement)


def names_of(statement: ast.stmt) -> set[str]:
    """Return the names that a statement assigns."""
    if isinstance(statement, ast.FunctionDef | ast.ClassDef):
        return {statement.name}
    if isinstance(statement, ast.Import | ast.ImportFrom):
        return {(alias.asname or alias.name).partition(".")[0] for alias in statement.names}
    targets = statement.targets if isinstance(statement, ast.Assign) else [getattr(statement, "target", None)]
    return {target.id for target in targets if isinstance(target, ast.Name)}


def is_follow_up(error: BaseException, missing: set[str]) -> bool:
    """Return True if an error is only caused by an earlier one."""
    return isinstance(error, NameError) and error.name in missing


def member_named(message: str, owner: str, body: list[ast.stmt]) -> ast.stmt | None:
    """Return the class member that an error names (`BookingForm.length: …`), or None."""
    for name in re.findall(rf"\b{re.escape(owner)}\.(\w+)", message):
        found = next((each for each in body if name in names_of(each)), None)
        if found is not None:
            return found
    return None


def line_in(error: BaseException, path: Path) -> int:
    """Return the last line of a file that an error passed, or 0."""
    found, step = 0, error.__traceback__
    while step is not None:
        if Path(step.tb_frame.f_code.co_filename) == path:
            found = step.tb_lineno
        step = step.tb_next
    return found


def members(module: ModuleType, kind: type) -> list[Any]:
    """Return the classes of a kind that a module defines, in order."""
    return [
        value
        for value in vars(module).values()
        if isinstance(value, type) and issubclass(value, kind) and value.__module__ == module.__name__
    ]
