"""All public names. `import fuselatch` loads them on first use."""

from fuselatch.core.engine.session import Session
from fuselatch.core.engine.store import ChangedMeanwhile, Store, StoreRefused
from fuselatch.core.engine.view import View
from fuselatch.core.forms.catalogs import Catalog
from fuselatch.core.forms.checks import check
from fuselatch.core.forms.choice import Choice
from fuselatch.core.forms.custom_events import CustomEvent
from fuselatch.core.forms.declarations import Button, Label
from fuselatch.core.forms.defaults import first_choice, last_entered, nth_choice
from fuselatch.core.forms.entries import Date, Integer, Money, Number, Percent, Text, Tick, Time
from fuselatch.core.forms.form import Form
from fuselatch.core.forms.groups import Group
from fuselatch.core.forms.latch import Latch
from fuselatch.core.forms.lines import Lines
from fuselatch.core.forms.params import Opener, Param
from fuselatch.core.forms.places import first_blank, host_selection
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.forms.rows import Row
from fuselatch.core.forms.rules import derive, from_open
from fuselatch.core.forms.shared import Shared
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
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.latch_records import LatchRecord, LatchStore
from fuselatch.core.model.locale_formats import Formats, PlainFormats
from fuselatch.core.model.outcome import Outcome
from fuselatch.core.model.service_map import Host, Selection, Services
from fuselatch.core.model.trace import Trace, TraceEntry
from fuselatch.policy import Policy
from fuselatch.services import DrawingBoard, Drawings, LetterBox, Letters
from fuselatch.stores.memory import MemoryLatches, MemoryRecords

__all__ = [
    "Abandoned",
    "Blank",
    "Button",
    "Catalog",
    "ChangedMeanwhile",
    "Choice",
    "Choices",
    "CustomEvent",
    "Date",
    "DeclarationError",
    "DrawingBoard",
    "Drawings",
    "Event",
    "Finding",
    "Form",
    "FormClosed",
    "Formats",
    "FuseBlown",
    "FuseLatchError",
    "Gesture",
    "Group",
    "HandlerFailed",
    "Host",
    "Integer",
    "Label",
    "Latch",
    "LatchRecord",
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
    "Store",
    "StoreRefused",
    "Table",
    "Text",
    "Tick",
    "Time",
    "Trace",
    "TraceEntry",
    "UnknownName",
    "View",
    "check",
    "derive",
    "first_blank",
    "first_choice",
    "from_open",
    "host_selection",
    "last_entered",
    "nth_choice",
    "on",
    "warn",
]  # fmt: skip
