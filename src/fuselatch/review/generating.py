"""Generate a form's source from a function's parameters or a CSV file."""

from __future__ import annotations

import inspect
import keyword
import os
import re
import sys
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, time
from decimal import Decimal
from enum import Enum
from importlib import import_module
from math import isfinite
from pathlib import Path
from types import NoneType, UnionType
from typing import Any, Final, Literal, NamedTuple, Union, get_args, get_origin, get_type_hints

from fuselatch.core.forms.form import Form
from fuselatch.core.forms.inputs import InputControl
from fuselatch.core.kinds.text import Text
from fuselatch.core.model.names import suggest
from fuselatch.rehearsal.imports import INSTALLED
from fuselatch.report.cue_words import written
from fuselatch.stores.csv_files import CsvRecords

FEW: Final = 12
"""The most different texts in a column that becomes a choice."""
OFTEN: Final = 4
WIDTH: Final = 88
"""The longest generated line, if it can be broken."""
OWN: Final = frozenset({"result", "run", "leave", "keep", "place"})
"""Control names that generated forms use themselves."""
LEAVE: Final = '    leave = Button("Leave", closes="cancelled")'
PARAM_DOC: Final = re.compile(r"^\s*(?::param\s+)?[`*]*(\w+)[`*]*(?:\s*\([^)]*\))?\s*:\s+(\S.*)$")


class GeneratedForm(NamedTuple):
    """Generated source: the files' names and texts, and the form's name."""

    module: str
    form: str
    source: str
    cues: str


@dataclass(slots=True)
class Control:
    """A control to generate: name, kind, caption, options as source, and sample entry."""

    name: str
    kind: str
    caption: str
    options: list[str]
    sample: str = ""
    param: str = ""
    hint: Any = None
    optional: bool = False
    positional: bool = False
    remark: str = ""


@dataclass(slots=True)
class Outline:
    """A form to generate."""

    form: str
    title: str
    doc: str
    controls: list[Control] = field(default_factory=list)
    imports: dict[str, set[str]] = field(default_factory=dict)
    remarks: list[str] = field(default_factory=list)

    def need(self, module: str, name: str) -> str:
        """Import a name; return it."""
        self.imports.setdefault(module, set()).add(name)
        return name

    def header(self) -> list[str]:
        """Return the imports, sorted as ruff does."""
        own = {name for names in self.imports.values() for name in names}
        kinds = {control.kind for control in self.controls} - own
        self.imports.setdefault("fuselatch", set()).update({"Button", "Form", *kinds})
        lines = ["from __future__ import annotations", ""]
        for block in sorted({kind_of_module(module) for module in self.imports}):
            for module in sorted(self.imports):
                if kind_of_module(module) == block:
                    lines += imported(module, sorted(self.imports[module], key=order))
            lines.append("")
        return lines

    def body(self) -> list[str]:
        """Return the class up to its controls."""
        lines = ["", f"class {self.form}(Form, title={text(self.title)}{self.bound()}):", f'    """{self.doc}"""', ""]
        for control in self.controls:
            options = ", ".join([text(control.caption), *control.options])
            if control.remark:
                lines.append(f"    # {control.remark}")
            lines.append(f"    {control.name} = {control.kind}({options})")
        return lines + [f"    # {remark}" for remark in self.remarks]

    def bound(self) -> str:
        """Return the class options, as source."""
        return ""


def kind_of_module(module: str) -> int:
    """Return 0 for the standard library, 1 for packages, 2 for local modules."""
    if module.partition(".")[0] in sys.stdlib_module_names:
        return 0
    file = getattr(sys.modules.get(module), "__file__", None)
    own = file is not None and not any(Path(file).resolve().is_relative_to(place) for place in INSTALLED)
    return 2 if own and module.partition(".")[0] != "fuselatch" else 1


def imported(module: str, names: Sequence[str]) -> list[str]:
    """Return an import, on one line if it fits."""
    line = f"from {module} import {', '.join(names)}"
    return [line] if len(line) <= WIDTH else [f"from {module} import (", *(f"    {name}," for name in names), ")"]


def order(name: str) -> tuple[int, str]:
    """Return ruff's sort key: constants, classes, functions."""
    return (0 if name.isupper() else 1 if name[:1].isupper() else 2, name)


def text(value: str) -> str:
    """Return text as source, in double quotes."""
    shown = repr(value)
    return '"' + shown[1:-1] + '"' if shown[0] == "'" and '"' not in value else shown


def free(name: str, taken: Iterable[str]) -> str:
    """Return a free control name: not a keyword, a form's own name or taken."""
    name_free = re.sub(r"\W", "_", name).strip("_").lower() or "column"
    name_free = f"n{name_free}" if name_free[0].isdigit() else name_free
    while keyword.iskeyword(name_free) or hasattr(Form, name_free) or name_free in OWN or name_free in taken:
        name_free += "_"
    return name_free


def class_name(name: str) -> str:
    """Return a name as a class name that ends in Form."""
    return "".join(part[:1].upper() + part[1:] for part in re.split(r"[\W_]+", name) if part) + "Form"


def captioned(name: str) -> str:
    """Return a name as a caption."""
    words = name.replace("_", " ").strip()
    return words[:1].upper() + words[1:]


# ---- from a function


def from_function(function: Callable[..., Any], name: str) -> GeneratedForm:
    """Generate a form for a function: a control per parameter, and a button that calls it.

    Annotations give the kinds (str, int, float, Decimal, bool, date, time, Enum, Literal; with None if optional), defaults
    the first values, the docstring the help. A parameter of another type keeps its default or becomes a text field, with a
    remark; `*args` and `**named` get nothing, with a remark. Raises `ValueError` if there is nothing to fill in, and for a
    function that has to be awaited or yields.
    """
    plain = inspect.unwrap(function)
    if inspect.iscoroutinefunction(plain) or inspect.isgeneratorfunction(plain) or inspect.isasyncgenfunction(plain):
        does = "yields" if not inspect.iscoroutinefunction(plain) else "has to be awaited"
        raise ValueError(f"{name} {does}, and a form can't do that; generate from a plain function that calls it")
    doc = inspect.getdoc(plain) or ""
    outline = Outline(class_name(name), captioned(name), first_line(doc) or f"Calls {name}.")
    helps = {match[1]: match[2] for line in doc.splitlines()[1:] if (match := PARAM_DOC.match(line))}
    hints = hints_of(plain)
    for param in inspect.signature(plain).parameters.values():
        if param.kind in (param.VAR_POSITIONAL, param.VAR_KEYWORD):
            outline.remarks.append(f"{'*' if param.kind is param.VAR_POSITIONAL else '**'}{param.name}: nothing is passed")
            continue
        plain_hint = Any if param.default in (param.empty, None) else type(param.default)
        control = control_for(param, hints.get(param.name, plain_hint), helps.get(param.name, ""), outline)
        # A parameter that can't be entered uses its default, so that no wrong value is passed.
        if not control.remark or param.default is param.empty:
            outline.controls.append(control)
    if not outline.controls:
        raise ValueError(f"{name} has no parameters to fill in; add some, with type annotations")
    outline.need(plain.__module__, name)
    returns = hints.get("return", Any) is not NoneType
    if returns:
        outline.need("fuselatch", "Label")
    arguments = [f"            {argument(control, outline)}," for control in outline.controls]
    lines = outline.body()
    lines += ['    result = Label("Result")'] if returns else []
    lines += [f"    run = Button({text(captioned(name))}, submits=True)", LEAVE, ""]
    lines += ["    @Form.submitted", "    def call(self) -> None:", f'        """Call {name} with the entered values."""']
    lines += [f"        {'found = ' if returns else ''}{name}(", *arguments, "        )"]
    shown = "str(found)" if "return" in hints else '"" if found is None else str(found)'
    lines += [f"        self.result.value = {shown}" if returns else '        self.say("Done.")']
    module = f"{snake(name)}_form"
    return GeneratedForm(
        module, outline.form, "\n".join([*outline.header(), *lines, ""]), function_cues(module, outline, name)
    )


def control_for(param: inspect.Parameter, hint: object, help_text: str, outline: Outline) -> Control:
    name = free(param.name, [control.name for control in outline.controls])
    default = None if param.default is param.empty else param.default
    hint, optional = without_none(hint)
    optional = optional or (default is None and param.default is not param.empty)
    if isinstance(default, float) and not isfinite(default):
        # Nothing that can be entered.
        default = None
    control = Control(name, "Text", captioned(param.name), [], "x", param.name, hint, optional)
    control.positional = param.kind is param.POSITIONAL_ONLY
    if get_origin(hint) is Literal:
        control.kind = "Choice"
        values = get_args(hint)
        control.options.append(f"choices=({', '.join(map(repr_of, values))}{',' if len(values) == 1 else ''})")
        control.sample = str(values[0])
    elif isinstance(hint, type) and issubclass(hint, Enum):
        control.kind = "Choice"
        control.options.append(f"choices={outline.need(hint.__module__, hint.__qualname__.partition('.')[0])}")
        first = next(iter(hint))
        control.sample = first.value if isinstance(first.value, str) else first.name
    elif (kind := kind_for(hint)) is not None:
        control.kind, control.sample = outline.need(*home_of(kind)), kind.example
    else:
        what = "it has no annotation" if hint is Any else f"unsupported type {describe(hint)}"
        control.remark = f"{param.name}: {what}; convert the text yourself"
    outline.need("fuselatch", "last_entered")
    start = f"first={default_source(default, outline)}" if default is not None else ""
    control.options.append(f"default=last_entered({start})")
    if not optional and default != "" and control.kind != "Tick":
        control.options.append("required=True")
    elif optional and control.kind != "Tick":
        control.options.append('placeholder="optional"') if control.kind == "Text" else None
    if help_text:
        control.options.append(f"help={text(help_text)}")
    return control


def kind_for(hint: object) -> type[InputControl[Any, Any, Any]] | None:
    """Return the kind of control that says it is for a Python type, or None."""
    waiting: list[type[InputControl[Any, Any, Any]]] = [InputControl]
    while waiting:
        kind = waiting.pop(0)
        if vars(kind).get("generated_for") is hint and hint is not None:
            return kind
        waiting.extend(kind.__subclasses__())
    return None


def home_of(kind: type) -> tuple[str, str]:
    """Return the module to import a kind of control from, and its name."""
    top = import_module("fuselatch")
    own = kind.__name__ in dir(top) and getattr(top, kind.__name__) is kind
    return "fuselatch" if own else kind.__module__, kind.__name__


def hints_of(function: Callable[..., Any]) -> dict[str, Any]:
    """Return a function's annotations as types; raise `ValueError` for unknown names."""
    try:
        return get_type_hints(function)
    except NameError as error:
        raise ValueError(f"can't read an annotation: {error}") from None


def without_none(hint: object) -> tuple[Any, bool]:
    """Return an annotation without `None`, and whether it had it."""
    if get_origin(hint) not in (Union, UnionType):
        return hint, False
    rest = [each for each in get_args(hint) if each is not NoneType]
    return rest[0] if len(rest) == 1 else hint, len(rest) < len(get_args(hint))


def describe(hint: object) -> str:
    return getattr(hint, "__name__", str(hint)) if get_origin(hint) is None else str(hint)


def repr_of(value: object) -> str:
    return text(value) if isinstance(value, str) else repr(value)


def default_source(value: object, outline: Outline) -> str:
    if isinstance(value, Enum):
        return f"{outline.need(type(value).__module__, type(value).__name__)}.{value.name}"
    if isinstance(value, Decimal):
        return f'{outline.need("decimal", "Decimal")}("{value}")'
    if isinstance(value, date | time):
        name = outline.need("datetime", type(value).__name__)
        return repr(value).replace(f"datetime.{name}", name)
    return repr_of(value)


def argument(control: Control, outline: Outline) -> str:
    """Return how the function is given a control's value."""
    value = f"self.{control.name}.value"
    if control.kind == "Text":
        value = f"{value} or None" if control.optional else value
    elif control.kind != "Tick" and not control.optional:
        value = f"self.{control.name}.required_value"
    if control.remark:
        value = f'{outline.need("typing", "cast")}("{outline.need("typing", "Any")}", {value})'
    if get_origin(control.hint) is Literal:
        listed = ", ".join(map(repr_of, get_args(control.hint)))
        kind = f"{outline.need('typing', 'Literal')}[{listed}]{' | None' if control.optional else ''}"
        value = f"{outline.need('typing', 'cast')}({text(kind) if chr(34) not in kind else repr(kind)}, {value})"
    return value if control.positional else f"{control.param}={value}"


def function_cues(module: str, outline: Outline, name: str) -> str:
    """Return the first cue sheet. It fills in the form but doesn't call the function."""
    lines = [f"# First cue sheet for {outline.form}.", written("form", [f"{module}:{outline.form}"]), ""]
    for control in outline.controls:
        verb = "tick" if control.kind == "Tick" else "pick" if control.kind == "Choice" else "paste"
        lines.append(written(verb, [control.name] if verb == "tick" else [control.name, control.sample]))
    lines += ["focus   run"]
    for control in outline.controls:
        sample = "yes" if control.kind == "Tick" else control.sample
        prop = "text" if control.kind == "Choice" else "value"
        lines.append(written("expect", [f"{control.name}.{prop}", sample]))
    lines += [f"# press run     # calls {name}", "press   leave", "expect  outcome cancelled", ""]
    return "\n".join(lines)


def first_line(doc: str) -> str:
    return doc.strip().partition("\n")[0].strip().replace('"""', "'''").replace("\\", "\\\\")


def snake(name: str) -> str:
    """Return a name as a module name."""
    return re.sub(r"\W+", "_", re.sub(r"(?<=[a-z0-9])(?=[A-Z])", "_", name)).strip("_").lower()


# ---- from a table


class TableOutline(Outline):
    """A form to generate that is bound to a table."""

    source: str = ""

    def bound(self) -> str:
        return f", records={text(self.source)}"


def csv_hint(path: Path) -> str:
    """Return a hint for an unknown CSV file."""
    near = sorted(file.name for file in path.parent.glob("*.csv"))
    return suggest(path.name, near) if near else "no CSV files in this folder"


def from_table(path: Path, target: Path) -> GeneratedForm:
    """Generate a form bound to a CSV file: a control per column, by its contents.

    `target`: the folder for the new files. Raises `StoreRefused` if the file can't be read.
    """
    store = CsvRecords(path.parent)
    source = path.stem
    try:
        columns, rows, key = store.columns(source), list(store.read(source)), store.key(source)
    except KeyError:
        raise ValueError(f"file {path} not found; {csv_hint(path)}") from None
    if not columns:
        raise ValueError(f"{path} is empty; its first row must name the columns")
    outline = TableOutline(class_name(source), captioned(source), f"Keeps the rows of {path.name}.")
    outline.source = source
    outline.controls.append(Control("place", "Label", "Record", ["value=lambda form: form.records.position_text"]))
    for column in columns:
        values = [row[column] for row in rows if row[column] is not None and row[column] != ""]
        if column == key and values and all(type(value) is int for value in values):
            continue
        outline.controls.append(column_control(column, values, len(rows), outline))
    outline.imports["fuselatch.scenes"] = {"Scene", "scene"}
    outline.need("fuselatch.stores", "open_records")
    outline.imports["pathlib"] = {"Path"}
    outline.need("fuselatch.stores", "MemoryRecords")
    folder = os.path.relpath(path.resolve().parent, target.resolve()).replace(os.sep, "/")
    where = "Path(__file__).parent" if folder == "." else f'Path(__file__).parent / "{folder}"'
    lines = [*outline.body(), '    keep = Button("Keep, and the next", submits=True)', LEAVE, "", ""]
    lines += [
        "@scene",
        "def rehearsed() -> Scene:",
        '    """The form over a copy of the table, so that a rehearsal changes no file."""',
    ]
    lines += [f"    store = open_records({where})", f"    records = MemoryRecords.copy(store, {text(source)})"]
    lines += [f"    return Scene({outline.form}, records=records)", ""]
    module = f"{snake(source)}_form"
    return GeneratedForm(module, outline.form, "\n".join([*outline.header(), *lines]), table_cues(module, outline, rows))


def column_control(column: str, values: Sequence[object], count: int, outline: Outline) -> Control:
    name = free(column, [control.name for control in outline.controls])
    control = Control(name, "Text", captioned(column), [], param=column)
    kinds = {type(value) for value in values}
    kind = kinds.pop() if len(kinds) == 1 else str
    control.kind = (kind_for(kind) or Text).__name__
    texts = list(dict.fromkeys(map(str, values)))
    if kind is str and 1 < len(texts) <= FEW and len(values) >= OFTEN * len(texts):
        control.kind = "Choice"
        control.options.append(f"choices=({', '.join(map(text, sorted(texts)))})")
    if count and len(values) == count and control.kind != "Tick":
        control.options.append("required=True")
    if name != column:
        control.options.append(f"column={text(column)}")
    return control


def table_cues(module: str, outline: Outline, rows: Sequence[Mapping[str, object]]) -> str:
    """Return the first cue sheet, which goes through the first rows."""
    lines = [f"# First cue sheet for {outline.form}.", written("scene", [f"{module}:rehearsed"]), ""]
    if rows:
        lines.append(written("expect", ["record", f"1 of {len(rows)}"]))
        for control in outline.controls:
            value = rows[0].get(control.param)
            if isinstance(value, str | int | Decimal | date | time) and str(value).strip() == str(value):
                shown = ("yes" if value else "no") if isinstance(value, bool) else str(value)
                lines.append(written("expect", [f"{control.name}.value", shown]))
    if len(rows) > 1:
        lines += ["record  next", written("expect", ["record", f"2 of {len(rows)}"])]
    return "\n".join([*lines, "press   leave", "expect  outcome cancelled", ""])
