"""Import a file of forms and find all its wrong declarations, not only the first."""

from __future__ import annotations
import __future__

import ast
import importlib
import re
import sys
from collections.abc import Callable
from contextlib import redirect_stdout
from pathlib import Path
from types import ModuleType
from typing import Any, Final

from fuselatch.core.model.errors import FuseLatchError, describe
from fuselatch.core.model.names import NoSuchName
from fuselatch.rehearsal.imports import root_of

NOTE: Final = "__fuselatch_note__"
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
            statement = next((each for each in self._now.body if each.lineno == line), None)
            self.broken.add(self._now.name)
            if statement is not None and not names_of(statement) & self.missing:
                self._tell(statement, error)
                self.missing |= names_of(statement)
                self.refused |= names_of(statement)

    def _tell(self, statement: ast.stmt, error: BaseException) -> None:
        if is_follow_up(error, self.missing):
            return
        line = line_in(error, self.path) if not isinstance(error, FuseLatchError) else statement.lineno
        what = str(error) if isinstance(error, FuseLatchError | NoSuchName) else f"can't import: {describe(error)}"
        self.wrong(line or statement.lineno, what)


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
        member = next((each for each in body if name in names_of(each)), None)
        if member is not None:
            return member
    return None


def line_in(error: BaseException, path: Path) -> int:
    """Return the last line of a file that an error passed, or 0."""
    line, step = 0, error.__traceback__
    while step is not None:
        if Path(step.tb_frame.f_code.co_filename) == path:
            line = step.tb_lineno
        step = step.tb_next
    return line


def members(module: ModuleType, kind: type) -> list[Any]:
    """Return the classes of a kind that a module defines, in order."""
    return [
        value
        for value in vars(module).values()
        if isinstance(value, type) and issubclass(value, kind) and value.__module__ == module.__name__
    ]
