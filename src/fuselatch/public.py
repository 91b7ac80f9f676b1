"""All public names; `import fuselatch` gives them when they are first asked for."""

from fuselatch.core.engine.session import Session
from fuselatch.core.engine.store import ChangedMeanwhile, Store, StoreRefused
from fuselatch.core.engine.view import View
from fuselatch.core.forms.catalogs import Catalog
from fuselatch.core.forms.checks import check
from fuselatch.core.forms.choice import Choice
from fuselatch.core.forms.declarations import Button, Label
from fuselatch.core.forms.defaults import FIRST, LAST, NTH
from fuselatch.core.forms.entries import Date, Money, Number, Percent, Text, Tick, Time, Whole
from fuselatch.core.forms.form import Form
from fuselatch.core.forms.groups import Group
from fuselatch.core.forms.latches import Latch
from fuselatch.core.forms.lines import Lines
from fuselatch.core.forms.params import Opener, Param
from fuselatch.core.forms.places import SELECTED, Gap
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.forms.rows import Row
from fuselatch.core.forms.rules import derive, from_open
from fuselatch.core.forms.shared import Shared
from fuselatch.core.forms.signals import Signal
from fuselatch.core.forms.sources import on
from fuselatch.core.forms.tables import Table
from fuselatch.core.model.choices import Choices
from fuselatch.core.model.errors import (
    Abandoned,
    Blank,
    DeclarationError,
    FormClosed,
    FuseBlown,
    FuseLatchError,
    HandlerFailed,
    NotAllowedHere,
    PolicyError,
    Refused,
    RuleError,
    UnknownName,
)
from fuselatch.core.model.events import Event
from fuselatch.core.model.findings import Finding, Marker, Override, warn
from fuselatch.core.model.formats import Formats, PlainFormats
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.outcome import Outcome
from fuselatch.core.model.services import Host, Selection, Services
from fuselatch.core.model.taken import LatchStore, Taken
from fuselatch.core.model.trace import Entry, Trace
from fuselatch.policy import Policy
from fuselatch.services import DrawingBoard, Drawings, LetterBox, Letters
from fuselatch.stores.memory import MemoryLatches, MemoryRecords

__all__ = [
    "FIRST",
    "LAST",
    "NTH",
    "SELECTED",
    "Abandoned",
    "Blank",
    "Button",
    "Catalog",
    "ChangedMeanwhile",
    "Choice",
    "Choices",
    "Date",
    "DeclarationError",
    "DrawingBoard",
    "Drawings",
    "Entry",
    "Event",
    "Finding",
    "Form",
    "FormClosed",
    "Formats",
    "FuseBlown",
    "FuseLatchError",
    "Gap",
    "Gesture",
    "Group",
    "HandlerFailed",
    "Host",
    "Label",
    "Latch",
    "LatchStore",
    "LetterBox",
    "Letters",
    "Lines",
    "Marker",
    "MemoryLatches",
    "MemoryRecords",
    "Money",
    "NotAllowedHere",
    "Number",
    "Opener",
    "Outcome",
    "Override",
    "Param",
    "Percent",
    "PlainFormats",
    "Policy",
    "PolicyError",
    "Prompt",
    "Refused",
    "Row",
    "RuleError",
    "Selection",
    "Services",
    "Session",
    "Shared",
    "Signal",
    "Store",
    "StoreRefused",
    "Table",
    "Taken",
    "Text",
    "Tick",
    "Time",
    "Trace",
    "UnknownName",
    "View",
    "Whole",
    "check",
    "derive",
    "from_open",
    "on",
    "warn",
]  # fmt: skip
