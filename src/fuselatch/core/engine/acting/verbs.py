"""The function that carries out each verb."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Final

from fuselatch.core.engine.acting.keyboard import key
from fuselatch.core.engine.acting.pasting import paste_rows
from fuselatch.core.engine.acting.steps import (
    add_line,
    answer,
    answers_quietly,
    back_tab,
    close_front,
    double,
    move_line,
    open_named,
    pick,
    point,
    press,
    record,
    remove_line,
    sort,
    tab,
    tick,
    to_control,
    to_front,
    type_text,
    types_quietly,
    unhover,
)
from fuselatch.core.engine.acting.taking_back import take_back
from fuselatch.core.engine.turn.calling import cancel_call
from fuselatch.core.model.gestures import Gesture

RUNS_NO_AUTHOR_CODE: Final[Mapping[str, Callable[[Any, Any], bool]]] = {"type": types_quietly, "answer": answers_quietly}
"""For some verbs, a test if a gesture runs none of the developer's code."""

STEPS: Final[Mapping[str, Callable[[Any, Gesture, Any], None]]] = {
    "focus": to_control,
    "type": type_text,
    "key": key,
    "tab": tab,
    "back_tab": back_tab,
    "press": press,
    "double": double,
    "pick": pick,
    "sort": sort,
    "tick": tick,
    "untick": tick,
    "hover": point,
    "unhover": unhover,
    "answer": answer,
    "close": close_front,
    "open": open_named,
    "to_front": to_front,
    "record": record,
    "add_line": add_line,
    "remove_line": remove_line,
    "move_line": move_line,
    "paste_rows": paste_rows,
    "take_back": take_back,
    "cancel_call": cancel_call,
}
"""The function that carries out each verb."""
