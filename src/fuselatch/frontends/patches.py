"""The difference between two views, as plain data, for front ends elsewhere."""

from __future__ import annotations

from typing import Any, Final

from fuselatch.core.model.json_text import Plain
from fuselatch.core.model.view import ControlView, FormView, View, plain
from fuselatch.report.layout import strips

SENT_APART: Final = frozenset({"forms", "controls", "part"})


def whole(view: View) -> Plain:
    """Return a whole view, with the layout of each form, for a front end that has none yet."""
    return {"view": view.to_dict(), "layouts": {form.id: layout(form) for form in view.forms}}


def patch(before: View, after: View) -> Plain:
    """Return what differs from the view before. Parts that are the same object are skipped without a look.

    `view`: the fields of the view that differ. `order`: the ids of the forms, if they differ. `forms`: for each form that is
    new the whole, for each other what differs: `fields`, `order` (the ids of its controls) and `controls`, each with the
    fields that differ, or the whole. `layouts`: the layouts that differ.
    """
    made: Plain = {"view": fields_differing(before, after)}
    if before.forms is after.forms:
        return made
    known = {form.id: form for form in before.forms}
    if [form.id for form in before.forms] != [form.id for form in after.forms]:
        made["order"] = [form.id for form in after.forms]
    forms: Plain = {}
    layouts: Plain = {}
    for form in after.forms:
        old = known.get(form.id)
        if old is None:
            forms[form.id] = {"whole": plain(form)}
            layouts[form.id] = layout(form)
        elif old is not form:
            forms[form.id] = form_patch(old, form)
            if (
                "order" in forms[form.id]
                or old.groups is not form.groups
                or old.rows is not form.rows
                or relabelled(old, form)
            ):
                layouts[form.id] = layout(form)
    made["forms"] = forms
    return {**made, "layouts": layouts} if layouts else made


def without_echo(told: Plain, view: View, control: str, text: str) -> Plain:
    """Return what is told to the front end that typed a text into a control: its text only if it is another one now."""
    form = control.partition(".")[0]
    now = next((one.text for each in view.forms if each.id == form for one in each.controls if one.id == control), text)
    change = told.get("forms", {}).get(form, {})
    fields = change.get("controls", {}).get(control, {}).get("fields", {})
    if "whole" in change or (now == text) != ("text" in fields):
        return told
    rest = {**fields, "text": now} if now != text else {name: value for name, value in fields.items() if name != "text"}
    controls = {**change.get("controls", {}), control: {"fields": rest}}
    if not rest:
        del controls[control]
    forms = {**told.get("forms", {}), form: {**change, "controls": controls}}
    if not any(forms[form].values()):
        del forms[form]
    return {**told, "forms": forms} if forms else {name: part for name, part in told.items() if name != "forms"}


def relabelled(before: FormView, after: FormView) -> bool:
    """Return True if a caption differs, which the layout repeats."""
    if before.controls is after.controls:
        return False
    return any(old.caption != new.caption for old, new in after.controls.differing(before.controls))


def form_patch(before: FormView, after: FormView) -> Plain:
    """Return what differs in a form."""
    fields = fields_differing(before, after)
    made: Plain = {"fields": fields} if fields else {}
    if before.controls is after.controls:
        return made
    if len(before.controls) == len(after.controls):
        pairs = list(after.controls.differing(before.controls))
        if all(old.id == new.id for old, new in pairs):
            return {**made, "controls": {new.id: {"fields": fields_differing(old, new)} for old, new in pairs}}
    known = {control.id: control for control in before.controls}
    controls: Plain = {}
    for control in after.controls:
        old = known.get(control.id)
        if old is None:
            controls[control.id] = {"whole": plain(control)}
        elif old is not control:
            controls[control.id] = {"fields": fields_differing(old, control)}
    return {**made, "order": [control.id for control in after.controls], "controls": controls}


def fields_differing(before: Any, after: Any) -> Plain:
    """Return the fields of a part that differ, as plain data, without those that are sent apart."""
    fields = {
        name: plain(new)
        for name, old, new in zip(after._fields, before, after, strict=True)
        if old is not new and old != new and name not in SENT_APART
    }
    if isinstance(after, ControlView) and before.part is not after.part:
        # In plain data, what only its shape has is beside the rest.
        fields |= fields_differing(before.part, after.part)
    return fields


def layout(form: FormView) -> list[Plain]:
    """Return a form's rows from top to bottom: caption, depth, the ids of controls, line and page; True for a heading."""
    return [
        {
            "caption": strip.caption,
            "depth": strip.depth,
            "controls": [control.id for control in strip.controls],
            "heading": strip.heading,
            "line": strip.line,
            "page": strip.page,
        }
        for strip in strips(form)
    ]
