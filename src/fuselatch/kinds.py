"""For those who write their own kinds of control: the class to derive from, and what it needs (docs/extending.md)."""

from fuselatch.core.forms.controls import LiveInput
from fuselatch.core.forms.declarations import Raises
from fuselatch.core.forms.deeds import CHARACTER, Deed, Done, DoubleClick, Enter, Keys, Press, Put, Raise, Settle, Write
from fuselatch.core.forms.inputs import InputControl
from fuselatch.core.model.values import Unparsable
from fuselatch.core.model.view import FieldPart

__all__ = [
    "CHARACTER",
    "Deed",
    "Done",
    "DoubleClick",
    "Enter",
    "FieldPart",
    "InputControl",
    "Keys",
    "LiveInput",
    "Press",
    "Put",
    "Raise",
    "Raises",
    "Settle",
    "Unparsable",
    "Write",
]
