"""The dialog that asks for one value."""

from __future__ import annotations

from copy import copy
from types import new_class

from fuselatch.core.forms.form import Form
from fuselatch.core.forms.inputs import InputControl
from fuselatch.core.kinds.button import Button
from fuselatch.core.kinds.label import Label
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import short


def value_form(entry: object, text: str, title: str, formats: Formats) -> type[Form]:
    """Return a dialog with one control, named `value`."""
    if not isinstance(entry, InputControl):
        raise TypeError(f"ask_value(…): expected a declared control such as Text('State'), not {short(entry)}")
    asked = copy(entry)
    asked.name = ""
    caption = asked.constants.get("caption", "")
    members: dict[str, object] = {"note": Label(value=text)} if text else {}
    members |= {
        "value": asked,
        "ok": Button(user_text(formats, "ok"), closes="accepted", keys="Enter"),
        "cancel": Button(user_text(formats, "cancel"), closes="cancelled"),
    }
    options = {"title": title or caption or user_text(formats, "value")}
    return new_class("AskValue", (Form,), options, lambda body: body.update({**members, "__module__": __name__}))
