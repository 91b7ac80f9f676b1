"""For those who write their own kinds of control: the class to derive from, and what it needs (docs/extending.md)."""

from fuselatch.core.forms.controls import LiveInput
from fuselatch.core.forms.declarations import InputControl, Source
from fuselatch.core.model.values import Unparsable

__all__ = ["InputControl", "LiveInput", "Source", "Unparsable"]
