"""For those who show forms: the session, gestures, the view and its parts, observers, the trace."""

from typing import TYPE_CHECKING

from fuselatch.lazily import lazily

if TYPE_CHECKING:
    from fuselatch.core.engine.rules.latching import LatchView as LatchView
    from fuselatch.core.engine.session import Session as Session
    from fuselatch.core.engine.state.observer import Observer as Observer
    from fuselatch.core.forms.container import OpenForm as OpenForm
    from fuselatch.core.forms.plans import Handler as Handler
    from fuselatch.core.model.gestures import Gesture as Gesture
    from fuselatch.core.model.locale_formats import Formats as Formats
    from fuselatch.core.model.locale_formats import PlainFormats as PlainFormats
    from fuselatch.core.model.trace import Trace as Trace
    from fuselatch.core.model.trace import TraceEntry as TraceEntry
    from fuselatch.core.model.view import ColumnView as ColumnView
    from fuselatch.core.model.view import ControlView as ControlView
    from fuselatch.core.model.view import FailureView as FailureView
    from fuselatch.core.model.view import FormView as FormView
    from fuselatch.core.model.view import GroupView as GroupView
    from fuselatch.core.model.view import ItemView as ItemView
    from fuselatch.core.model.view import LocaleView as LocaleView
    from fuselatch.core.model.view import OfferView as OfferView
    from fuselatch.core.model.view import OutcomeView as OutcomeView
    from fuselatch.core.model.view import PromptView as PromptView
    from fuselatch.core.model.view import RecordView as RecordView
    from fuselatch.core.model.view import RowView as RowView
    from fuselatch.core.model.view import ValueView as ValueView
    from fuselatch.core.model.view import View as View

WHERE = {
    "fuselatch.core.engine.rules.latching": ("LatchView",),
    "fuselatch.core.engine.state.observer": ("Observer",),
    "fuselatch.core.engine.session": ("Session",),
    "fuselatch.core.model.view": (
        "ColumnView",
        "ControlView",
        "FailureView",
        "FormView",
        "GroupView",
        "ItemView",
        "LocaleView",
        "OfferView",
        "OutcomeView",
        "PromptView",
        "RecordView",
        "RowView",
        "ValueView",
        "View",
    ),
    "fuselatch.core.forms.container": ("OpenForm",),
    "fuselatch.core.forms.plans": ("Handler",),
    "fuselatch.core.model.gestures": ("Gesture",),
    "fuselatch.core.model.locale_formats": ("Formats", "PlainFormats"),
    "fuselatch.core.model.trace": ("Trace", "TraceEntry"),
}
"""The module of each public name."""

if not TYPE_CHECKING:
    __getattr__, __dir__ = lazily(__name__, WHERE)
