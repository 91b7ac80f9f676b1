"""An open list: the items in it, and the one that Enter or Tab would take."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final, TypeGuard

from fuselatch.core.forms.live_lists import LiveChoice
from fuselatch.core.forms.live_state import seen
from fuselatch.core.model.cells import UNSEEN
from fuselatch.core.model.choices import Choices, fold_of

IN_REACH: Final = 50
"""How many items a view has at most: the best matches, or those around the chosen one."""


def is_always_open(control: object) -> TypeGuard[LiveChoice[Any, Any, Any]]:
    """Return True for a list whose items the user always sees: radios, list boxes and tables.

    It has no text to type into, unless other texts are allowed. Letters find items, and arrow keys move the pick.
    """
    return isinstance(control, LiveChoice) and not drops_down(control) and not control._decl.other


def drops_down(control: LiveChoice[Any, Any, Any]) -> bool:
    """Return True if one moves in a list without picking: it opens first, or several items can be picked."""
    decl = control._decl
    return decl.shape == "choice" and (decl.multiple or decl.constants["look"] in ("", "drop-down"))


def found_by_letters(control: LiveChoice[Any, Any, Any], letters: str) -> Any:
    """Return the item that letters find in a list that is always open, or `UNSEEN`.

    Of those that start with them, one letter finds the next after the picked item, and more find the first.
    """
    choices = choices_seen(control)
    fold = fold_of(control._engine.formats)
    wanted = fold(letters.strip())
    value = control._value
    held = choices.position(value) if len(letters) == 1 and value is not None else None
    count, start = len(choices), 0 if held is None else held + 1
    places = ((start + step) % count for step in range(count)) if wanted else ()
    texts = choices.texts
    return next((choices[at] for at in places if fold(texts[at]).startswith(wanted)), UNSEEN)


def choices_seen(control: LiveChoice[Any, Any, Any]) -> Choices[Any]:
    """Return the items as they were last announced."""
    found: Choices[Any] = seen(control, "choices")
    return found


def typed_into(control: LiveChoice[Any, Any, Any]) -> str:
    """Return the text that an open list is narrowed to, or ""."""
    return (control._draft or "").strip() if control._listing else ""


def candidates(control: LiveChoice[Any, Any, Any]) -> Sequence[int]:
    """Return the positions of the items that one can move to in an open list: the best matches, or all."""
    choices, text = choices_seen(control), typed_into(control)
    return choices.ahead_index(fold_of(control._engine.formats)).find(text, IN_REACH) if text else range(len(choices))


def would_take(control: LiveChoice[Any, Any, Any]) -> Any:
    """Return the item that Enter or Tab would take from an open list, or `UNSEEN`.

    It is the one that the user has moved to. Otherwise a text that is in the list means itself, and any other the first
    match; where other values are allowed, a similar item must not replace it. If several items read the same, it is none.
    """
    if not control._listing:
        return UNSEEN
    choices, text = choices_seen(control), typed_into(control)
    if control._at is not UNSEEN and control._at in choices:
        return control._at
    if not text:
        return UNSEEN
    fold = fold_of(control._engine.formats)
    found = choices.find(text, fold)
    if not found and not control._decl.other:
        first = choices.ahead(text, 1, fold)
        found = choices.find(choices.text(first[0]), fold) if first else []
    return found[0] if len(found) == 1 else UNSEEN
