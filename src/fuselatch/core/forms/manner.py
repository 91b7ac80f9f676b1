"""How a form is opened."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final, Literal, NamedTuple, TypeAlias, get_args

from fuselatch.core.model.record_changes import Key
from fuselatch.core.model.values import Value

Place: TypeAlias = Literal["over", "beside"]
"""The position of a form: over its opener, or beside it without overlapping."""
PLACES: Final = get_args(Place)


class Manner(NamedTuple):
    """How a form is opened.

    `hiding`: hide its opener. `place`: where. `modal`: the opener waits. `at`: the first record. `only`: values of its rows.
    """

    hiding: bool = False
    place: Place = "over"
    modal: bool = False
    at: Key = None
    only: Mapping[str, Value] | None = None


USUAL: Final = Manner()
"""The default way to open a form."""
