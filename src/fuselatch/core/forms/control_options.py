"""The options of controls, as a declaration takes them by name."""

from __future__ import annotations

from typing import (
    TYPE_CHECKING,
    Any,
    Literal,
    TypeAlias,
    TypedDict,
    TypeVar,
)

from fuselatch.core.forms.prompts import Tone
from fuselatch.core.forms.rules import Rule


class ControlOptions(TypedDict, total=False):
    """Options of every control: constants, or functions of the form.

    `keys`: a shortcut that presses the button or moves the focus to the control. `look`: a hint for drawing, one of the
    kind's looks.
    """

    enabled: bool | Rule[bool]
    visible: bool | Rule[bool]
    help: str | Rule[str]
    tone: Tone | Rule[Tone]
    keys: str
    look: str


class EntryOptions(ControlOptions, total=False):
    """More options of controls that can be filled in.

    `required="warn"`: a blank is a warning. `read_only=True`: the user can go there and copy, but not enter anything; the
    value is checked and saved as any other. `while_typing=True`: show markers from the first key. `column`: the record's
    column, if its name differs from the control's. `counts_as_change=False`: what is entered isn't a change of the form or
    of its record, as in a search box. `masked`: a value that a rule computes is masked if it is derived from a password,
    unless this says otherwise. `autocomplete`, `inputmode`, `spellcheck`: for browsers, by HTML's own names and values, as
    `autocomplete="email"`; the usual is "off", by the kind, and False.
    """

    read_only: bool | Rule[bool]
    placeholder: str
    while_typing: bool
    column: str
    counts_as_change: bool
    masked: bool
    autocomplete: str
    inputmode: str
    spellcheck: bool


if TYPE_CHECKING:
    from typing_extensions import TypeVar as WithDefault

    H = WithDefault("H", default=Any)
else:
    H = TypeVar("H")
"""The type of a control's value in an outcome. With a default, so that `Number` alone is a whole type for checkers."""

Needed: TypeAlias = bool | Literal["warn"] | Rule[bool]
"""The option `required`."""


class InputOptions(EntryOptions, total=False):
    """The options of controls that can be filled in, and whose value in an outcome has the same type in any case."""

    required: Needed


NO_LIMITS = (("min_length", 0), ("min_items", 0))


def limits(word: str, given: object) -> bool:
    """Return True if a declared property limits the value. 0 is a limit, but at least 0 characters or items is none."""
    return given is not None and given is not False and given != "" and (word, given) not in NO_LIMITS
