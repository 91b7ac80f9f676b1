"""JSON Schemas (draft 2020-12) of a form's rules and of the view."""

from __future__ import annotations

from dataclasses import fields, is_dataclass
from types import NoneType, UnionType
from typing import Any, Final, get_args, get_origin, get_type_hints

from fuselatch.core.engine.view import VERSION, View
from fuselatch.core.forms.declarations import InputControl
from fuselatch.core.forms.form import Form, plan_of
from fuselatch.core.forms.lines import Lines
from fuselatch.core.forms.plans import ControlPlan, FormPlan

DRAFT: Final = "https://json-schema.org/draft/2020-12/schema"

TYPES: Final[dict[str, dict[str, Any]]] = {
    "text": {"type": "string"},
    "number": {"type": "number"},
    "percent": {"type": "number"},
    "integer": {"type": "integer"},
    "money": {"type": "number"},
    "date": {"type": "string", "format": "date"},
    "time": {"type": "string", "format": "time"},
    "tick": {"type": "boolean"},
}
"""The JSON type of each kind of control."""

ORDERED: Final = frozenset({"number", "percent", "integer", "money"})
"""Kinds whose bounds JSON Schema can express."""


def form_schema(form: type[Form]) -> dict[str, Any]:
    """Return the rules of a form, for a record of its values. Blanks are null (text: "").

    JSON Schema can only express constants that refuse. Other rules, written checks, warnings and the bounds of dates and
    times are left out.
    """
    plan = plan_of(form)
    title = plan.title if isinstance(plan.title, str) else plan.name
    return {"$schema": DRAFT, "title": title, "description": plan.doc, **record_schema(plan)}


def record_schema(plan: FormPlan) -> dict[str, Any]:
    properties = {
        path: lines_schema(control) if isinstance(control.decl, Lines) else control_schema(control)
        for path, control in plan.controls.items()
        if isinstance(control.decl, InputControl | Lines)
    }
    return {"type": "object", "properties": properties, "required": list(properties), "additionalProperties": False}


def lines_schema(control: ControlPlan) -> dict[str, Any]:
    lines: Any = control.decl
    return {"title": lines.constants["caption"], "type": "array", "items": record_schema(plan_of(lines.line))}


def control_schema(control: ControlPlan) -> dict[str, Any]:
    decl, constants = control.decl, control.decl.constants
    caption = constants.get("caption")
    schema: dict[str, Any] = {"title": caption} if caption else {}
    schema.update(TYPES.get(decl.kind, {}))
    needed = constants.get("required") is True
    if decl.kind == "text":
        schema.update(text_rules(decl, needed))
    elif decl.kind == "tick":
        if needed:
            schema["const"] = True
    elif decl.kind in ("choice", "table"):
        choices = constants.get("choices")
        items = (
            list(choices) if choices is not None and all(type(item) in (str, int, float, bool) for item in choices) else None
        )
        if items is not None:
            schema["enum"] = items if needed else [*items, None]
        elif needed:
            schema["not"] = {"type": "null"}
    else:
        if decl.kind in ORDERED:
            bounds = {name: constants.get(name) for name in ("minimum", "maximum")}
            schema.update({name: number(bound) for name, bound in bounds.items() if bound is not None})
        if not needed:
            schema["type"] = [schema["type"], "null"]
    return schema


def text_rules(decl: Any, needed: bool) -> dict[str, Any]:
    """Return the rules of a text. If it isn't required, it may be blank."""
    rules: dict[str, Any] = {}
    if decl.min_length:
        rules["minLength"] = decl.min_length
    if decl.max_length is not None:
        rules["maxLength"] = decl.max_length
    if decl.pattern is not None:
        rules["pattern"] = decl.pattern.pattern
    if needed:
        return {**rules, "minLength": max(1, decl.min_length)}
    return {"anyOf": [{"const": ""}, rules]} if rules.keys() - {"maxLength"} else rules


def number(bound: Any) -> float | int:
    """Return a bound for JSON."""
    return bound if isinstance(bound, int | float) else float(bound)


def view_schema() -> dict[str, Any]:
    """Return the shape of a view, as `view.to_dict()` returns it."""
    definitions: dict[str, Any] = {}
    top = of_type(View, definitions)
    return {"$schema": DRAFT, "title": f"A view of Fuse Latch, version {VERSION}", **top, "$defs": definitions}


def of_type(kind: Any, definitions: dict[str, Any]) -> dict[str, Any]:
    """Return the schema of a type in the view."""
    if is_dataclass(kind) and isinstance(kind, type):
        if kind.__name__ not in definitions:
            definitions[kind.__name__] = {}
            hints = get_type_hints(kind)
            definitions[kind.__name__] = {
                "description": " ".join((kind.__doc__ or "").split()),
                "type": "object",
                "properties": {field.name: of_type(hints[field.name], definitions) for field in fields(kind)},
                "required": [field.name for field in fields(kind)],
                "additionalProperties": False,
            }
        return {"$ref": f"#/$defs/{kind.__name__}"}
    if get_origin(kind) is tuple:
        return {"type": "array", "items": of_type(get_args(kind)[0], definitions)}
    if isinstance(kind, UnionType):
        return {"anyOf": [of_type(one, definitions) for one in get_args(kind)]}
    names = {str: "string", int: "integer", float: "number", bool: "boolean", NoneType: "null"}
    return {"type": names[kind]}
