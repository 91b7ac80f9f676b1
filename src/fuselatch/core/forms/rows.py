"""Rows: controls side by side."""

from __future__ import annotations

from fuselatch.core.forms.declarations import Declaration, Within
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.values import short


class Row:
    """Controls side by side: `point1 = Row("Point 1", x1, y1)`. It is only layout."""

    __slots__ = ("caption", "controls", "name")

    def __init__(self, caption: str, *controls: object) -> None:
        self.caption = caption
        self.controls = controls
        self.name = ""
        for control in controls:
            if not isinstance(control, Declaration | Within):
                raise DeclarationError(f"Row({caption!r}, …): expected declared controls, not {short(control)}")

    def __set_name__(self, owner: type, name: str) -> None:
        self.name = self.name or name
