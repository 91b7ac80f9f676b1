"""JSON Schemas (draft 2020-12) of a form's rules and of the view."""

from __future__ import annotations

from collections.abc import Mapping
from types import NoneType, UnionType
from typing import Any, Final, get_args, get_origin, get_type_hints

from fuselatch.core.forms.form import Form, plan_of
from fuselatch.core.forms.plans import ControlPlan, FormPlan
from fuselatch.core.model.json_text import Plain
from fuselatch.core.model.parts import Parts
from fuselatch.core.model.view import SHAPES, VERSION, ControlView, View

DRAFT: Final = "https://json-schema.org/draft/2020-12/schema"


def form_schema(form: type[Form]) -> Plain:
    """Return the rules of a form, for a record of its values. Blanks are null (text: "").

    JSON Schema can only express constants that refuse. Other rules, written checks, warnings and the bounds of dates and
    times are left out.
    """
    plan = plan_of(form)
    title = plan.title if isinstance(plan.title, str) else plan.name
    return {"$schema": DRAFT, "title": title, "description": plan.doc, **record_schema(plan)}


def record_schema(plan: FormPlan) -> Plain:
    properties = {
        path: lines_schema(control) if control.decl.has_lines else control_schema(control)
        for path, control in plan.controls.items()
        if control.is_input or control.decl.has_lines
    }
    return {"type": "object", "properties": properties, "required": list(properties), "additionalProperties": False}


def lines_schema(control: ControlPlan) -> Plain:
    lines: Any = control.decl
    return {"title": lines.constants["caption"], "type": "array", "items": record_schema(plan_of(lines.line))}


def control_schema(control: ControlPlan) -> Plain:
    decl, constants = control.decl, control.decl.constants
    caption = constants.get("caption")
    return {**({"title": caption} if caption else {}), **decl.schema(constants.get("required") is True)}


def view_schema() -> Plain:
    """Return the shape of a view, as `view.to_dict()` returns it."""
    definitions: Plain = {}
    top = of_type(View, definitions)
    return {"$schema": DRAFT, "title": f"A view of Fuse Latch, version {VERSION}", **top, "$defs": definitions}


def of_type(kind: Any, definitions: Plain) -> Plain:
    """Return the schema of a type in the view."""
    if hasattr(kind, "_fields"):
        if kind.__name__ not in definitions:
            definitions[kind.__name__] = {}
            definitions[kind.__name__] = control_type(definitions) if kind is ControlView else object_type(kind, definitions)
        return {"$ref": f"#/$defs/{kind.__name__}"}
    if get_origin(kind) in (tuple, Parts):
        return {"type": "array", "items": of_type(get_args(kind)[0], definitions)}
    if isinstance(kind, UnionType):
        return {"anyOf": [of_type(one, definitions) for one in get_args(kind)]}
    names = {str: "string", int: "integer", float: "number", bool: "boolean", NoneType: "null"}
    return {"type": names[kind]}


def object_type(kind: object, definitions: Plain) -> Plain:
    """Return the schema of a part of the view."""
    fields = fields_of(kind)
    return {
        "description": in_one_line(kind),
        "type": "object",
        "properties": {name: of_type(hint, definitions) for name, hint in fields.items()},
        "required": list(fields),
        "additionalProperties": False,
    }


def control_type(definitions: Plain) -> Plain:
    """Return the schema of a control: what all have, and beside it the part of its shape."""
    common = object_type(ControlView, definitions)
    for shape, part in SHAPES.items():
        own = object_type(part, definitions)
        del own["additionalProperties"]
        definitions[part.__name__] = {**own, "properties": {"shape": {"const": shape}, **own["properties"]}}
    del common["additionalProperties"]
    return {
        **common,
        "anyOf": [{"$ref": f"#/$defs/{part.__name__}"} for part in SHAPES.values()],
        "unevaluatedProperties": False,
    }


def fields_of(kind: Any) -> Plain:
    """Return the fields of a part of the view, with their types."""
    hints = get_type_hints(kind)
    return {name: hints[name] for name in kind._fields if name != "part"}


def in_one_line(kind: object) -> str:
    return " ".join((kind.__doc__ or "").split())


# ---- the same for the page, as TypeScript

ALIKE: Final = {str: "string", int: "number", float: "number", bool: "boolean", NoneType: "null"}
HEAD: Final = "// The view, for type checkers, written by `make view`. docs/view.schema.json says what each part means.\n"


def view_types() -> str:
    """Return the view as TypeScript, for type checkers of the page."""
    made: dict[str, str] = {}
    add_type(View, made)
    return HEAD + "".join(f"\n{text}\n" for text in made.values())


def add_type(kind: Any, made: dict[str, str]) -> str:
    """Add a part of the view, and all parts in it; return its name."""
    name = str(kind.__name__.removesuffix("View") or "View") + "Data"
    if name in made:
        return name
    made[name] = ""
    made[name] = interface(name if kind is not ControlView else "CommonData", fields_of(kind), made)
    if kind is ControlView:
        parts = []
        for shape, part in SHAPES.items():
            own = f"{part.__name__.removesuffix('Part')}Data"
            made[own] = interface(own, {"shape": shape, **fields_of(part)}, made, "CommonData")
            parts.append(own)
        made["any"] = f"export type ControlData = {' | '.join(parts)};"
    return name


def interface(name: str, fields: Mapping[str, object], made: dict[str, str], base: str = "") -> str:
    """Return an interface with some fields."""
    lines = [f"  {field}: {ts_type(hint, made)};" for field, hint in fields.items()]
    return "\n".join([f"export interface {name}{f' extends {base}' if base else ''} {{", *lines, "}"])


def ts_type(kind: Any, made: dict[str, str]) -> str:
    """Return the TypeScript of a type in the view."""
    if isinstance(kind, str):
        return f'"{kind}"'
    if hasattr(kind, "_fields"):
        return add_type(kind, made)
    if get_origin(kind) in (tuple, Parts):
        inner = ts_type(get_args(kind)[0], made)
        return f"{inner}[]"
    if isinstance(kind, UnionType):
        return " | ".join(dict.fromkeys(ts_type(one, made) for one in get_args(kind)))
    return ALIKE[kind]
