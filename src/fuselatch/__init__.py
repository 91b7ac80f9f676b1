"""Fuse Latch: declare a form in plain Python, rehearse it without a screen, see why each thing happened.

Here is what one needs to write forms. `frontends`, `stores`, `services`, `scenes` and `rehearsal` have the rest.
"""

from typing import TYPE_CHECKING

from fuselatch.lazily import lazily

__version__ = "0.1.0"

if TYPE_CHECKING:
    from fuselatch.core.forms.attaching import on as on
    from fuselatch.core.forms.catalogs import Catalog as Catalog
    from fuselatch.core.forms.checks import check as check
    from fuselatch.core.forms.custom_events import CustomEvent as CustomEvent
    from fuselatch.core.forms.defaults import first_choice as first_choice
    from fuselatch.core.forms.defaults import last_entered as last_entered
    from fuselatch.core.forms.defaults import nth_choice as nth_choice
    from fuselatch.core.forms.form import Form as Form
    from fuselatch.core.forms.groups import Group as Group
    from fuselatch.core.forms.latch import Latch as Latch
    from fuselatch.core.forms.params import Opener as Opener
    from fuselatch.core.forms.params import Param as Param
    from fuselatch.core.forms.places import first_blank as first_blank
    from fuselatch.core.forms.places import host_selection as host_selection
    from fuselatch.core.forms.prompts import Answer as Answer
    from fuselatch.core.forms.prompts import Prompt as Prompt
    from fuselatch.core.forms.rows import Row as Row
    from fuselatch.core.forms.rules import derive as derive
    from fuselatch.core.forms.rules import from_open as from_open
    from fuselatch.core.forms.shared import Shared as Shared
    from fuselatch.core.kinds.button import Button as Button
    from fuselatch.core.kinds.choice import Choice as Choice
    from fuselatch.core.kinds.label import Label as Label
    from fuselatch.core.kinds.lines import Lines as Lines
    from fuselatch.core.kinds.numbers import Integer as Integer
    from fuselatch.core.kinds.numbers import Money as Money
    from fuselatch.core.kinds.numbers import Number as Number
    from fuselatch.core.kinds.numbers import Percent as Percent
    from fuselatch.core.kinds.table import Table as Table
    from fuselatch.core.kinds.text import Text as Text
    from fuselatch.core.kinds.tick import Tick as Tick
    from fuselatch.core.kinds.times import Date as Date
    from fuselatch.core.kinds.times import DateTime as DateTime
    from fuselatch.core.kinds.times import Time as Time
    from fuselatch.core.model.choices import Choices as Choices
    from fuselatch.core.model.errors import Abandoned as Abandoned
    from fuselatch.core.model.errors import Blank as Blank
    from fuselatch.core.model.errors import CallCancelled as CallCancelled
    from fuselatch.core.model.errors import DeclarationError as DeclarationError
    from fuselatch.core.model.errors import EffectFailed as EffectFailed
    from fuselatch.core.model.errors import EngineFailed as EngineFailed
    from fuselatch.core.model.errors import FormClosed as FormClosed
    from fuselatch.core.model.errors import FuseBlown as FuseBlown
    from fuselatch.core.model.errors import FuseLatchError as FuseLatchError
    from fuselatch.core.model.errors import HandlerFailed as HandlerFailed
    from fuselatch.core.model.errors import NotAllowedHere as NotAllowedHere
    from fuselatch.core.model.errors import Refused as Refused
    from fuselatch.core.model.errors import RuleError as RuleError
    from fuselatch.core.model.errors import TimedOut as TimedOut
    from fuselatch.core.model.errors import UnknownName as UnknownName
    from fuselatch.core.model.events import Event as Event
    from fuselatch.core.model.findings import Finding as Finding
    from fuselatch.core.model.findings import Marker as Marker
    from fuselatch.core.model.findings import Override as Override
    from fuselatch.core.model.findings import warn as warn
    from fuselatch.core.model.outcome import Outcome as Outcome
    from fuselatch.core.model.pictures import Picture as Picture
    from fuselatch.frontends.page.showing import show_form as show_form
    from fuselatch.frontends.page.themes import Theme as Theme
    from fuselatch.frontends.page.themes import ThemeError as ThemeError

WHERE = {
    "fuselatch.core.forms.catalogs": ("Catalog",),
    "fuselatch.core.forms.checks": ("check",),
    "fuselatch.core.kinds.choice": ("Choice",),
    "fuselatch.core.forms.custom_events": ("CustomEvent",),
    "fuselatch.core.kinds.button": ("Button",),
    "fuselatch.core.kinds.label": ("Label",),
    "fuselatch.core.forms.defaults": ("first_choice", "last_entered", "nth_choice"),
    "fuselatch.core.kinds.numbers": ("Integer", "Money", "Number", "Percent"),
    "fuselatch.core.kinds.text": ("Text",),
    "fuselatch.core.kinds.tick": ("Tick",),
    "fuselatch.core.kinds.times": ("Date", "DateTime", "Time"),
    "fuselatch.core.forms.form": ("Form",),
    "fuselatch.core.forms.groups": ("Group",),
    "fuselatch.core.forms.latch": ("Latch",),
    "fuselatch.core.kinds.lines": ("Lines",),
    "fuselatch.core.forms.params": ("Opener", "Param"),
    "fuselatch.core.forms.places": ("first_blank", "host_selection"),
    "fuselatch.core.forms.prompts": ("Answer", "Prompt"),
    "fuselatch.core.forms.rows": ("Row",),
    "fuselatch.core.forms.rules": ("derive", "from_open"),
    "fuselatch.core.forms.shared": ("Shared",),
    "fuselatch.core.forms.attaching": ("on",),
    "fuselatch.core.kinds.table": ("Table",),
    "fuselatch.core.model.choices": ("Choices",),
    "fuselatch.core.model.errors": (
        "Abandoned",
        "CallCancelled",
        "TimedOut",
        "Blank",
        "DeclarationError",
        "EffectFailed",
        "EngineFailed",
        "FormClosed",
        "FuseBlown",
        "FuseLatchError",
        "HandlerFailed",
        "NotAllowedHere",
        "Refused",
        "RuleError",
        "UnknownName",
    ),
    "fuselatch.core.model.events": ("Event",),
    "fuselatch.core.model.findings": ("Finding", "Marker", "Override", "warn"),
    "fuselatch.core.model.outcome": ("Outcome",),
    "fuselatch.core.model.pictures": ("Picture",),
    "fuselatch.frontends.page.showing": ("show_form",),
    "fuselatch.frontends.page.themes": ("Theme", "ThemeError"),
}
"""The module of each public name."""

if not TYPE_CHECKING:
    __getattr__, __dir__ = lazily(__name__, WHERE)
