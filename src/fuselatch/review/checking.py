"""Check forms by reading them: find what can never work, with file, line and fix."""

from __future__ import annotations

import ast
import inspect
import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping
from pathlib import Path
from typing import Any, Final, NamedTuple

from fuselatch.core.forms.container import Container
from fuselatch.core.forms.form import Form, plan_of
from fuselatch.core.forms.plans import ControlPlan, FormPlan, Handler
from fuselatch.core.kinds.button import Button
from fuselatch.core.model.names import suggest
from fuselatch.rehearsal.cues import CueError, read_cue_file
from fuselatch.rehearsal.declaring import declares_classes, not_followed
from fuselatch.rehearsal.imports import python_files_below, root_of
from fuselatch.rehearsal.loading import importing_from
from fuselatch.report.reading import code_of, uses
from fuselatch.review.code_problems import READ, Body
from fuselatch.review.importing import Importing, members, names_of
from fuselatch.review.leaving import never_leave
from fuselatch.review.remarks import REMARK, uncaught_calls

WAITS: Final = {
    **dict.fromkeys(("ask", "confirm", "inform", "ask_value", "open"), "for the user"), "call_elsewhere": "for a slow call",
}  # fmt: skip
"""The methods of a form that wait, and for what."""
POINTING: Final = frozenset({"hovered", "unhovered"})


class Problem(NamedTuple):
    """Something that can never work, or a remark, which isn't a mistake: where, which kind, what is wrong, and the fix."""

    file: str
    line: int
    kind: str
    problem: str
    fix: str

    @property
    def is_remark(self) -> bool:
        """True if it isn't a mistake."""
        return self.kind == REMARK

    def __str__(self) -> str:
        what = f"remark: {self.problem}" if self.is_remark else self.problem
        return f"{self.file}:{self.line}: {what}{f'; {self.fix}' if self.fix else ''}"


class CheckedFile:
    """A file that is checked: its tree, the names of its module, and how often names are used in and near it."""

    def __init__(self, name: str, tree: ast.Module, around: Counter[str], names: Mapping[str, object]) -> None:
        self.names = names
        self.name = name
        self.tree = tree
        self.around = around
        self.forms = sum(isinstance(node, ast.ClassDef) for node in tree.body)

    def uses(self, name: str) -> int:
        """Return how often a name is used here and in the files around."""
        return self.around[name]

    def class_of(self, owner: str) -> ast.ClassDef | None:
        """Return the class with this name."""
        return next((node for node in ast.walk(self.tree) if isinstance(node, ast.ClassDef) and node.name == owner), None)

    def line_of(self, owner: str, name: str = "") -> int:
        """Return the line of a class, or of its member."""
        owner_class = self.class_of(owner)
        if owner_class is None:
            return 1
        return next((each.lineno for each in owner_class.body if name and name in names_of(each)), owner_class.lineno)


def names_around(folder: Path) -> Iterator[str]:
    """Yield every name in the Python files and cue sheets in and below a folder."""
    for file in sorted(folder.rglob("*.py")):
        try:
            tree = ast.parse(file.read_text(encoding="utf-8-sig"))
        except (OSError, SyntaxError, ValueError):
            continue
        for node in ast.walk(tree):
            if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Load):
                yield node.id
            elif isinstance(node, ast.Attribute) and isinstance(node.ctx, ast.Load):
                yield node.attr
    for file in sorted(folder.rglob("*.cues")):
        try:
            sheet = read_cue_file(file)
        except (OSError, CueError):
            continue
        for cue in (sheet.opens, *sheet.steps):
            yield from (word.text.rpartition(":")[2] for word in cue.words)


def check_file(path: Path, name: str = "", around: dict[Path, Counter[str]] | None = None) -> Iterator[Problem]:
    """Yield the problems of a file. `name`: its name in messages. Raises `OSError`.

    `around`: names used in each folder, shared by several calls.
    """
    name = name or str(path)
    text = path.read_text(encoding="utf-8-sig")
    try:
        tree = ast.parse(text, filename=str(path))
    except SyntaxError as error:
        yield Problem(name, error.lineno or 1, "import", f"not valid Python: {error.msg}", "")
        return
    unread = not_followed(tree, path.resolve())
    if unread is not None:
        line, problem, fix = unread
        yield Problem(name, line, "not checked", problem, fix)
    if unread is not None or not declares_classes(tree, path.resolve()):
        # A script may do anything when it is run.
        return
    problems: list[Problem] = []
    path = path.resolve()
    importing = Importing(path, lambda line, what: problems.append(Problem(name, line, "declaration", *split(what))))
    with importing_from([path.parent, root_of(path)]):
        module = importing.run(tree)
    around = {} if around is None else around
    if path.parent not in around:
        around[path.parent] = Counter(names_around(path.parent))
    file = CheckedFile(name, tree, around[path.parent], vars(module))
    for kind in members(module, Container):
        told = check_class(kind, file)
        # A member that was refused is missing for the others: that isn't a fault of theirs.
        missing = importing.refused if kind.__name__ in importing.broken else set()
        problems.extend(one for one in told if not missing & {*re.findall(r"\w+", one.problem)})
    yield from sorted(dict.fromkeys(problems), key=lambda problem: problem.line)


def split(what: str) -> tuple[str, str]:
    """Split a message into problem and fix."""
    problem, _, fix = what.partition("; ")
    return problem, fix


def check_class(kind: type, file: CheckedFile) -> Iterator[Problem]:
    """Yield the problems of one form or group."""
    plan: FormPlan = plan_of(kind)
    for problems_of in (
        idle_buttons,
        unasked,
        unreached,
        waiting_rules,
        pointers,
        unknown_names,
        unopened,
        shut_in,
        kept_back,
        taken_shortcuts,
    ):
        for line, problem, fix in problems_of(kind, plan, file):
            yield Problem(file.name, line, problems_of.__name__.replace("_", " "), problem, fix)
    body = file.class_of(kind.__name__)
    if body is None:
        return
    for line, problem, fix in uncaught_calls(body):
        yield Problem(file.name, line, REMARK, problem, fix)
    for look in READ:
        for line, problem, fix in look(Body(kind, plan, body, file.names, file.uses)):
            yield Problem(file.name, line, look.__name__.replace("_", " "), problem, fix)


Found = Iterator[tuple[int, str, str]]


def own(plan: FormPlan) -> Iterator[tuple[str, ControlPlan]]:
    """Yield the controls that a class declares itself, without those of its groups."""
    return ((path, control) for path, control in plan.controls.items() if "." not in path)


def idle_buttons(kind: type, plan: FormPlan, file: CheckedFile) -> Found:
    """Find buttons that do nothing."""
    for path, control in own(plan):
        decl = control.decl
        if isinstance(decl, Button) and decl.closes is None and not decl.submits and not control.heard:
            if not any(path in loaded for loaded in attached(kind, file)):
                fix = f"add a handler for {path}.clicked, or closes= or submits="
                yield (file.line_of(kind.__name__, path), f"button {kind.__name__}.{path} does nothing", fix)


TAKEN: Final = frozenset({"Ctrl+T", "Ctrl+N", "Ctrl+W", "Ctrl+Shift+T", "Ctrl+Shift+N", "Ctrl+Shift+W"})
"""Shortcuts that browsers don't pass on to pages."""


def taken_shortcuts(kind: type, plan: FormPlan, file: CheckedFile) -> Found:
    """Find shortcuts that never reach a form in a browser."""
    keys = [("", plan.keys), *((path, control.decl.constants.get("keys", "")) for path, control in own(plan))]
    for path, key in keys:
        if key in TAKEN:
            named = f"{kind.__name__}.{path}" if path else kind.__name__
            yield file.line_of(kind.__name__, path), f"shortcut {key} of {named} never reaches a page", "use another"


def attached(kind: type, file: CheckedFile) -> Iterator[set[str]]:
    """Yield the controls whose events other classes handle."""
    for node in ast.walk(file.tree):
        if isinstance(node, ast.FunctionDef):
            for decorator in node.decorator_list:
                yield {each.attr for each in ast.walk(decorator) if isinstance(each, ast.Attribute)}


def unasked(kind: type, plan: FormPlan, file: CheckedFile) -> Found:
    """Find prompts that are never asked."""
    for path in plan.prompts:
        if "." not in path and path in vars(kind) and not file.uses(path):
            yield (
                file.line_of(kind.__name__, path),
                f"prompt {kind.__name__}.{path} is never asked",
                f"ask it with self.ask(self.{path})",
            )


def unopened(kind: type, plan: FormPlan, file: CheckedFile) -> Found:
    """Find forms that are never opened. A file's only class may be opened elsewhere."""
    at_hand = bool(file.forms == 1 or plan.at_start or plan.keys or kind.__subclasses__())
    if issubclass(kind, Form) and not at_hand and not file.uses(kind.__name__):
        fix = f"open it with self.open({kind.__name__}), in a scene or in a cue sheet"
        yield (file.line_of(kind.__name__), f"form {kind.__name__} is never opened", fix)


def unreached(kind: type, plan: FormPlan, file: CheckedFile) -> Found:
    """Find handlers that no event reaches."""
    accepts = any(control.decl.closes == "accepted" or control.decl.submits for control in plan.controls.values())
    closes = any("close" in use.names for function in functions(kind) for use in uses(function))
    for event, handlers in plan.heard.items():
        for handler in handlers:
            line = handler.where[1]
            if event in ("accepting", "submitted") and not accepts and not closes and not plan.records:
                yield (
                    line,
                    f"{handler.name} never runs: no button accepts the form",
                    'add a button with closes="accepted" or submits=True',
                )
            elif event == "record_shown" and not plan.records:
                yield (line, f"{handler.name} never runs: the form isn't bound to records", 'add records="…" to the class')
            elif event == "restarted" and (plan.records or not any(control.decl.submits for _, control in own(plan))):
                reason = "the form is bound to records" if plan.records else "no button has submits=True"
                yield (line, f"{handler.name} never runs: {reason}", "use Form.record_shown, or a button with submits=True")
    for path, control in own(plan):
        dead = next((word for word in ("enabled", "visible") if control.decl.constants.get(word) is False), None)
        if dead is not None and not any(
            use.is_set and use.names[-2:] == (path, dead) for f in functions(kind) for use in uses(f)
        ):
            for event, handlers in control.heard.items():
                for handler in handlers if event != "changed" else ():
                    yield (
                        handler.where[1],
                        f"{handler.name} never runs: {path} is never {dead}",
                        f"set {path}.{dead} in a rule or handler",
                    )
    for (form, signal), handlers in plan.heard_of.items():
        sent = any(use.names[:1] == (signal,) for function in functions(form) for use in uses(function))
        if signal in plan_of(form).custom_events and not sent:
            for handler in handlers:
                yield (
                    handler.where[1],
                    f"{handler.name} never runs: {form.__name__} doesn't send {signal}",
                    f"send it with self.{signal}.send(…)",
                )


def functions(kind: type) -> list[Callable[..., Any]]:
    """Return a class's methods, also those from other forms."""
    return [
        value
        for base in kind.__mro__
        for value in vars(base).values()
        if inspect.isfunction(value) and not hasattr(Form, value.__name__)
    ]


def waiting_rules(kind: type, plan: FormPlan, file: CheckedFile) -> Found:
    """Find rules and checks that set something or wait."""
    checks = [(check.function, f"the check {check.name}") for _, control in own(plan) for check in control.checks]
    rules = [
        (rule, f"the rule for {path}.{prop}") for path, control in own(plan) for prop, rule in control.decl.rules.items()
    ]
    for function, what in dict.fromkeys([*checks, *rules]):
        if code_of(function) is None:
            continue
        for use in sorted(uses(function, kind), key=lambda use: use.line):
            if use.is_set and use.names[0] in plan.controls:
                yield (
                    use.line,
                    f"{what} sets {'.'.join(use.names)}, which raises an error when it runs",
                    "set it in a handler",
                )
            elif use.names[0] in WAITS and len(use.names) == 1:
                yield (
                    use.line,
                    f"{what} waits {WAITS[use.names[0]]} (self.{use.names[0]}), which raises an error when it runs",
                    "ask in a handler",
                )


def pointers(kind: type, plan: FormPlan, file: CheckedFile) -> Found:
    """Find pointer handlers that wait."""
    moved = (
        (handler, path, event)
        for path, control in own(plan)
        for event in POINTING & control.heard.keys()
        for handler in control.heard[event]
    )
    for handler, path, event in moved:
        for use in uses(handler.function, kind):
            if use.names[0] in WAITS:
                problem = f"{handler.name} handles {path}.{event} and waits {WAITS[use.names[0]]} (self.{use.names[0]})"
                yield (use.line, problem, "a pointer handler can't wait; use self.say")


def unknown_names(kind: type, plan: FormPlan, file: CheckedFile) -> Found:
    """Find names that the form or its controls don't have."""
    ruled = [rule for _, control in own(plan) for rule in control.decl.rules.values() if code_of(rule) is not None]
    every = [value for value in vars(kind).values() if inspect.isfunction(value)]
    used = [use for function in (*every, *ruled) for use in uses(function)]
    made = {use.names[0] for use in used if use.is_set and len(use.names) == 1} | {"form", "session"}
    for use in sorted(set(used), key=lambda use: use.line):
        first = use.names[0]
        if first in made or first.startswith("_"):
            continue
        if not hasattr(kind, first) and first not in plan.params and first not in getattr(kind, "__annotations__", {}):
            known = [*plan.controls, *plan.groups, *plan.prompts, *plan.custom_events, *plan.params]
            yield (use.line, f"{kind.__name__} has no '{first}'", suggest(first, known))
        elif first in plan.controls and len(use.names) > 1 and not hasattr(plan.controls[first].decl.live, use.names[1]):
            live = plan.controls[first].decl.live
            known = [name for name in dir(live) if not name.startswith("_")]
            yield (use.line, f"{kind.__name__}.{first} has no '{use.names[1]}'", suggest(use.names[1], known))


def shut_in(kind: type, plan: FormPlan, file: CheckedFile) -> Found:
    """Find forms that can't be closed or accepted, and entries that can't be left."""
    places = [(kind.__name__, "closing", "closed", plan.heard), (kind.__name__, "accepting", "accepted", plan.heard)]
    places += [(path, "leaving", "left", control.heard) for path, control in own(plan)]
    for name, event, done, heard in places:
        for handler in heard.get(event, ()):
            if always_blocks(handler, file):
                problem = f"{name} can't be {done}: {handler.name} always blocks"
                yield (handler.where[1], problem, "block only in a condition")


def kept_back(kind: type, plan: FormPlan, file: CheckedFile) -> Found:
    """Find values that can never leave the form."""
    body = file.class_of(kind.__name__)
    for path, reason in never_leave(plan, body) if body is not None else ():
        problem = f"the value of {kind.__name__}.{path} never leaves the form: {reason}"
        yield (file.line_of(kind.__name__, path), problem, "declare it visible=False, enabled=False or read_only=True")


def always_blocks(handler: Handler, file: CheckedFile) -> bool:
    """Return True if a handler always calls `event.block(…)`."""
    for node in ast.walk(file.tree):
        if (
            isinstance(node, ast.FunctionDef)
            and node.lineno <= handler.where[1] + 5
            and node.name == handler.name.rpartition(".")[2]
        ):
            event = node.args.args[1].arg if len(node.args.args) > 1 else ""
            for statement in node.body:
                if is_block(statement, event):
                    return True
                if not isinstance(statement, ast.Expr | ast.Assign | ast.AnnAssign):
                    return False
    return False


def is_block(statement: ast.stmt, event: str) -> bool:
    call = statement.value if isinstance(statement, ast.Expr) else None
    target = call.func if isinstance(call, ast.Call) else None
    return (
        isinstance(target, ast.Attribute)
        and target.attr == "block"
        and isinstance(target.value, ast.Name)
        and target.value.id == event
    )


def python_files(paths: Iterable[Path]) -> list[Path]:
    """Return the files named, and all Python files in and below folders."""
    return [file for path in paths for file in (python_files_below(path) if path.is_dir() else [path])]
