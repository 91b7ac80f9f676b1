"""The properties of controls, one row each. Whatever knows a property by name asks this table.

A property is declared as a constant or a rule, and set by handlers. The row says its type, how a rule's result is converted,
its usual value, what is shown while its rule has never run, what follows when it differs, and where the view shows it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Final, NamedTuple, TypeAlias

from fuselatch.core.model.choices import Choices, choices_of
from fuselatch.core.model.names import suggest
from fuselatch.core.model.pictures import Picture
from fuselatch.core.model.values import Value, short

TONES: Final = ("plain", "question", "warning", "danger")
Convert: TypeAlias = Callable[[Any], Any]


def text_of(value: object) -> str:
    """Return text; None is ""."""
    if value is None:
        return ""
    if not isinstance(value, str):
        raise TypeError(f"expected text (str), not {type(value).__name__}")
    return value


def tone_of(value: object) -> str:
    """Return one of the four tones; None is plain."""
    tone = text_of(value) or "plain"
    if tone not in TONES:
        raise ValueError(f"unknown tone '{tone}'; {suggest(tone, TONES)}")
    return tone


def picture_of(value: object) -> Picture | None:
    """Return a picture, or None."""
    if value is not None and not isinstance(value, Picture):
        raise TypeError(f"expected a Picture or None, not {short(value)}")
    return value


def need_of(value: object) -> bool | str:
    """Return True, False or "warn"."""
    return "warn" if value == "warn" else bool(value)


class Property(NamedTuple):
    """One property.

    `type`: of a value that a handler sets. `of`: the group of controls that have it: "all", "entry" or "kind" (only some
    kinds). `convert`: makes a rule's result one; None: the control converts it as its value. `usual`: its value if it isn't
    declared, and `unseen`: while its rule has never run. `constant`: it can't have a rule. `follows`: the property of the
    same control that may read as something else when this one differs. `judges`: it decides if an entry is checked.
    `moves`: it may take the focus or the pointer away. `entered`: it tells a rule what the user entered. `asked`: `why`
    explains it. `rule`: `describe` lists it as a rule. `at_key`: it may differ at a keystroke. `field`: of a control's view,
    or of the part of its shape, which shows it; "" if none does.
    """

    name: str
    type: type
    of: str = "kind"
    convert: Convert | None = None
    usual: Value = None
    unseen: Value = ""
    constant: bool = False
    follows: str = ""
    judges: bool = False
    moves: bool = False
    entered: bool = False
    asked: bool = False
    rule: bool = False
    at_key: bool = False
    field: str = ""


ROWS: Final = (
    Property("value", object, asked=True, entered=True, field="text"),
    Property("choices", Choices, convert=choices_of, unseen=Choices(), follows="value", asked=True, field="choices"),
    Property("enabled", bool, "all", bool, True, True, judges=True, moves=True, asked=True, field="enabled"),
    Property("visible", bool, "all", bool, True, True, judges=True, moves=True, asked=True),
    Property("required", bool, "entry", need_of, False, False, judges=True, asked=True, rule=True, field="required"),
    Property("read_only", bool, "entry", bool, False, False, asked=True, rule=True, field="read_only"),
    Property("caption", str, "all", text_of, asked=True, field="caption"),
    Property("help", str, "all", text_of, "", asked=True, field="help"),
    Property("tone", str, "all", tone_of, "plain", "plain", asked=True, field="tone"),
    Property("minimum", object, asked=True, rule=True, field="minimum"),
    Property("maximum", object, asked=True, rule=True, field="maximum"),
    Property("placeholder", str, "entry", text_of, "", field="placeholder"),
    Property("picture", Picture, convert=picture_of, field="picture"),
    Property("alt", str, convert=text_of, field="alt"),
    # Constants of a kind.
    Property("min_length", int, constant=True, rule=True),
    Property("max_length", int, constant=True, rule=True, field="max_length"),
    Property("pattern", str, constant=True, rule=True, field="pattern"),
    Property("unit", str, constant=True, rule=True, field="unit"),
    Property("decimals", int, constant=True, rule=True, field="decimals"),
    # Constants of all, or of every entry.
    Property("keys", str, "all", usual="", constant=True, rule=True, field="keys"),
    Property("look", str, "all", usual="", constant=True, rule=True, field="look"),
    Property("closes", str, constant=True, rule=True, field="closes"),
    Property("while_typing", bool, "entry", usual=False, constant=True),
    Property("column", str, "entry", usual="", constant=True),
    Property("autocomplete", str, "entry", usual="", constant=True, field="autocomplete"),
    Property("inputmode", str, "entry", usual="", constant=True, field="inputmode"),
    Property("spellcheck", bool, "entry", usual=False, constant=True, field="spellcheck"),
    Property("counts_as_change", bool, "entry", usual=True, constant=True),
    Property("masked", bool, constant=True, field="masked"),
    # Worked out from the others.
    Property("findings", tuple, field="marker"),
    Property("trouble", bool),
    Property("valid_value", object, entered=True, at_key=True),
    Property("draft", str, entered=True, at_key=True, field="text"),
    Property("is_valid", bool, at_key=True),
    Property("marker", object, at_key=True, field="marker"),
)

PROPERTIES: Final[Mapping[str, Property]] = {row.name: row for row in ROWS}


def names(wanted: Callable[[Property], bool]) -> frozenset[str]:
    """Return the names of the properties for which something holds."""
    return frozenset(row.name for row in ROWS if wanted(row))


def usual_of(group: str) -> dict[str, Any]:
    """Return the usual values of the properties of "all" controls, or of every "entry"."""
    return {row.name: row.usual for row in ROWS if row.of == group and row.name != "caption"}


FLAGS: Final = names(lambda row: row.type is bool and (row.of != "kind" or row.constant))
"""Options that are true or false."""
CONSTANTS: Final = names(lambda row: (row.constant and row.of != "kind") or row.name == "masked")
"""Options of every kind that can't have a rule."""
JUDGING: Final = names(lambda row: row.judges)
MOVING: Final = names(lambda row: row.moves)
ENTERED: Final = names(lambda row: row.entered)
AT_REST: Final = names(lambda row: not row.at_key)
"""Properties that don't differ at a keystroke that settles nothing."""
UNSEEN_VALUES: Final[Mapping[str, Any]] = {row.name: row.unseen for row in ROWS}
ASKED: Final = tuple(row.name for row in ROWS if row.asked)
RULE_WORDS: Final = tuple(row.name for row in ROWS if row.rule)


def exact(where: str, prop: str, value: object) -> Value:
    """Return a value that a handler sets, in the property's type. `where` is for messages.

    Raises `TypeError` or `ValueError`.
    """
    row = PROPERTIES[prop]
    if row.type is Choices:
        if isinstance(value, str) or not hasattr(value, "__iter__"):
            raise TypeError(f"{where}: expected a tuple or list of items, not {short(value)}")
        return choices_of(value)
    if value is None and row.type is Picture:
        return value
    if not isinstance(value, row.type) and (prop, value) != ("required", "warn"):
        raise TypeError(f"{where}: expected {row.type.__name__}, not {short(value)}")
    if prop == "tone" and value not in TONES:
        raise ValueError(f"{where}: unknown tone '{value}'; {suggest(str(value), TONES)}")
    return value
