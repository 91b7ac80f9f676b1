"""Dates and times."""

from __future__ import annotations

from datetime import date, datetime, time
from typing import TYPE_CHECKING, Any, ClassVar, Final, Generic, Literal, TypeVar, Unpack, overload

from fuselatch.core.forms.control_options import H, Needed
from fuselatch.core.forms.live_state import ControlState
from fuselatch.core.forms.rules import Rule
from fuselatch.core.kinds.bounded import Bounded, BoundOptions
from fuselatch.core.model.json_text import Plain
from fuselatch.core.model.locale_formats import Formats, PlainFormats, parse_moment, show_moment
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import Unparsable, Value, short_text, to_date, to_datetime, to_time

V = TypeVar("V")

PLAIN: Final = PlainFormats()
MOMENT_WIDE: Final = 20
"""The width of a date with a time, in characters."""


class Timed(Bounded[V, H], Generic[V, H]):
    """A date or time. ISO 8601 is always accepted, besides the session's locale."""

    bound_texts = "time"
    right: Value
    """An example value for messages."""

    def parse(self, text: str, live: ControlState, formats: Formats) -> V:
        value = self.read(text, formats)
        if value is None:
            example = such_as(self.show(self.right, formats), self.show(self.right, PLAIN), formats)
            raise Unparsable(user_text(formats, f"parse.{self.kind}", text=short_text(text), example=example))
        return value

    def read(self, text: str, formats: Formats) -> V | None:
        """Return the value that a text means, or None."""
        raise NotImplementedError


class Date(Timed[date, H], Generic[H]):
    """A date field (datetime.date). ISO 8601 is always accepted, besides the session's locale."""

    kind = "date"
    holds_a = "date"
    named = "a date field"
    json: ClassVar[Plain] = {"type": "string", "format": "date"}
    example = "2031-05-04"
    generated_for = date
    of_record = date
    right = date(2031, 5, 4)

    if TYPE_CHECKING:

        @overload
        def __init__(
            self: Date[date],
            caption: str | Rule[str] = "",
            *,
            required: Literal[True],
            **options: Unpack[BoundOptions[date, date]],
        ) -> None: ...
        @overload
        def __init__(
            self: Date[date | None],
            caption: str | Rule[str] = "",
            *,
            required: Needed = False,
            **options: Unpack[BoundOptions[date, date]],
        ) -> None: ...
        def __init__(self, caption: str | Rule[str] = "", **options: Any) -> None: ...

    def coerce(self, value: object) -> date | None:
        return to_date(value)

    def read(self, text: str, formats: Formats) -> date | None:
        return formats.parse_date(text)

    def show(self, value: date, formats: Formats) -> str:
        return formats.show_date(value)


class Time(Timed[time, H], Generic[H]):
    """A time field (datetime.time). ISO 8601 is always accepted, besides the session's locale."""

    kind = "time"
    holds_a = "time"
    named = "a time field"
    json: ClassVar[Plain] = {"type": "string", "format": "time"}
    example = "09:30"
    generated_for = time
    of_record = time
    right = time(9, 30)

    if TYPE_CHECKING:

        @overload
        def __init__(
            self: Time[time],
            caption: str | Rule[str] = "",
            *,
            required: Literal[True],
            **options: Unpack[BoundOptions[time, time]],
        ) -> None: ...
        @overload
        def __init__(
            self: Time[time | None],
            caption: str | Rule[str] = "",
            *,
            required: Needed = False,
            **options: Unpack[BoundOptions[time, time]],
        ) -> None: ...
        def __init__(self, caption: str | Rule[str] = "", **options: Any) -> None: ...

    def coerce(self, value: object) -> time | None:
        return to_time(value)

    def read(self, text: str, formats: Formats) -> time | None:
        return formats.parse_time(text)

    def show(self, value: time, formats: Formats) -> str:
        return formats.show_time(value)


class DateTime(Timed[datetime, H], Generic[H]):
    """A field for a date with a time of day (datetime.datetime without a zone, in whole seconds).

    ISO 8601 is always accepted (2031-05-04T09:30), besides the session's locale: the date, a space and the time.
    """

    kind = "datetime"
    holds_a = "datetime"
    named = "a date and time field"
    # RFC 3339, which "format": "date-time" means, would require a zone.
    json: ClassVar[Plain] = {"type": "string", "pattern": r"^\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d)?$"}
    example = "2031-05-04T09:30"
    generated_for = datetime
    of_record = datetime
    right = datetime(2031, 5, 4, 9, 30)

    if TYPE_CHECKING:

        @overload
        def __init__(
            self: DateTime[datetime],
            caption: str | Rule[str] = "",
            *,
            required: Literal[True],
            **options: Unpack[BoundOptions[datetime, datetime]],
        ) -> None: ...
        @overload
        def __init__(
            self: DateTime[datetime | None],
            caption: str | Rule[str] = "",
            *,
            required: Needed = False,
            **options: Unpack[BoundOptions[datetime, datetime]],
        ) -> None: ...
        def __init__(self, caption: str | Rule[str] = "", **options: Any) -> None: ...

    def width(self) -> int:
        return MOMENT_WIDE

    def coerce(self, value: object) -> datetime | None:
        return to_datetime(value)

    def read(self, text: str, formats: Formats) -> datetime | None:
        return parse_moment(text, formats)

    def show(self, value: datetime, formats: Formats) -> str:
        return show_moment(value, formats)


def such_as(local: str, iso: str, formats: Formats) -> str:
    """Return an example in the session's locale, and in ISO 8601 if it differs."""
    return local if local == iso else user_text(formats, "either_way", local=local, iso=iso)
