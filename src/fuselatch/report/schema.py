"""JSON Schemas (draft 2020-12) of a form's rules and of the view."""

from __future__ import annotations

from types import NoneType, UnionType
from typing import Any, Final, get_args, get_origin, get_type_hints

from fuselatch.core.forms.declarations import InputControl
from fuselatch.core.forms.form import Form, plan_of
from fuselatch.core.forms.lines import Lines
from fuselatch.core.forms.plans import ControlPlan, FormPlan
from fuselatch.core.model.parts import Parts
from fuselatch.core.model.view import VERSION, View

DRAFT: Final = "https://json-schema.org/draft/2020-12/schema"


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
    return {**({"title": caption} if caption else {}), **decl.schema(constants.get("required") is True)}


def view_schema() -> dict[str, Any]:
    """Return the shape of a view, as `view.to_dict()` returns it."""
    definitions: dict[str, Any] = {}
    top = of_type(View, definitions)
    return {"$schema": DRAFT, "title": f"A view of Fuse Latch, version {VERSION}", **top, "$defs": definitions}


def of_type(kind: Any, definitions: dict[str, Any]) -> dict[str, Any]:
    """Return the schema of a type in the view."""
    names = getattr(kind, "_fields", None)
    if names is not None:
        if kind.__name__ not in definitions:
            definitions[kind.__name__] = {}
            hints = get_type_hints(kind)
            definitions[kind.__name__] = {
                "description": " ".join((kind.__doc__ or "").split()),
                "type": "object",
                "properties": {name: of_type(hints[name], definitions) for name in names},
                "required": list(names),
                "additionalProperties": False,
            }
        return {"$ref": f"#/$defs/{kind.__name__}"}
    if get_origin(kind) in (tuple, Parts):
        return {"type": "array", "items": of_type(get_args(kind)[0], definitions)}
    if isinstance(kind, UnionType):
        return {"anyOf": [of_type(one, definitions) for one in get_args(kind)]}
    names = {str: "string", int: "integer", float: "number", bool: "boolean", NoneType: "null"}
    return {"type": names[kind]}
