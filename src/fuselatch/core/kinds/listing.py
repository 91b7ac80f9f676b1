"""Lists of items: those in reach, the one that Enter or Tab would take, and where keys lead.

Functions over the live control of a choice or a table, because they are in the compiled core.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Final, NamedTuple

from fuselatch.core.forms.declarations import Memo
from fuselatch.core.forms.live_state import ControlState, seen
from fuselatch.core.model.cells import UNSEEN
from fuselatch.core.model.choices import Choices, fold_of, item_id
from fuselatch.core.model.values import Value
from fuselatch.core.model.view import ChoicePart, ItemView

IN_REACH: Final = 50
"""How many items a view has at most: the best matches, or those around the chosen one."""
KNOWN: Final = 500
"""Once more of a list's items than these were shown, their views are made again."""
PAGE: Final = 10
"""How many items PageUp and PageDown move."""
MOVES: Final = {"Down": 1, "Up": -1, "PageDown": PAGE, "PageUp": -PAGE, "Home": 0, "End": 0}
"""Keys that move in a list, and by how many items. Home and End go to its ends."""


def choices_seen(control: ControlState) -> Choices:
    """Return the items as they were last announced."""
    choices: Choices = seen(control, "choices")
    return choices


def offered(control: ControlState) -> Choices:
    """Return the items as a handler reads them."""
    choices: Choices = control._read("choices")
    return choices


def held_by(control: ControlState) -> tuple[Value, ...]:
    """Return the chosen items."""
    value = control._value
    if value is None:
        return ()
    held: tuple[Value, ...] = value if control._decl.multiple else (value,)
    return held


def picked_texts(control: ControlState) -> tuple[str, ...]:
    """Return the chosen items' texts."""
    choices = choices_seen(control)
    return tuple([choices.text(item) for item in held_by(control)])


def typed_into(control: ControlState) -> str:
    """Return the text that an open list is narrowed to, or ""."""
    return (control._draft or "").strip() if control._listing else ""


def candidates(control: ControlState) -> Sequence[int]:
    """Return the positions of the items that one can move to in an open list: the best matches, or all."""
    choices, text = choices_seen(control), typed_into(control)
    return choices.ahead_index(fold_of(control._engine.formats)).find(text, IN_REACH) if text else range(len(choices))


def would_take(control: ControlState) -> Value:
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
    items = choices.find(text, fold)
    if not items and not control._decl.other:
        first = candidates(control)[:1]
        items = choices.find(choices.texts[first[0]], fold) if first else []
    return items[0] if len(items) == 1 else UNSEEN


def found_by_letters(control: ControlState, letters: str) -> Value:
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


def moved(choices: Choices, places: Sequence[int], item: object, key: str) -> int | None:
    """Return the position that a key leads to, among these, or None if there is none."""
    if not places:
        return None
    held = None if item is UNSEEN else choices.position(item)
    here = places.index(held) if held is not None and held in places else None
    last = len(places) - 1
    if key in ("Home", "End"):
        return places[0 if key == "Home" else last]
    if here is None:
        return places[0 if MOVES[key] > 0 else last]
    return places[max(0, min(last, here + MOVES[key]))]


# ---- what a view has of them


class Reach(NamedTuple):
    """The items in reach: their views, the position of the first, how many match what is typed, how many there are."""

    items: tuple[ItemView, ...]
    start: int
    matches: int
    in_all: int


def item_view(*, id: str, text: str, picked: bool) -> ItemView:
    """Return an item's view, filled by name. Compiled, names cost nothing here."""
    return ItemView(id, text, picked)


def items_at(
    choices: Choices, places: Iterable[int], held: Sequence[object], known: dict[int, ItemView]
) -> tuple[ItemView, ...]:
    """Return items of a list by their positions. `known`: those that were made before and aren't picked, by position."""
    chosen = {choices.position(value) for value in held}
    texts = choices.texts
    items: list[ItemView] = []
    for at in places:
        view = known.get(at)
        if view is None or at in chosen:
            view = item_view(id=item_id(choices, at), text=texts[at], picked=at in chosen)
            if at not in chosen:
                known[at] = view
        items.append(view)
    return tuple(items)


def places_in_reach(control: ControlState, choices: Choices) -> tuple[Sequence[int], int, int]:
    """Return the positions of the nearest items, where they start, and how many match what is typed."""
    count = len(choices)
    typed = typed_into(control)
    if typed:
        index = choices.ahead_index(fold_of(control._engine.formats))
        return index.find(typed, IN_REACH), 0, index.count(typed)
    start = 0
    if count > IN_REACH:
        held = held_by(control)
        near = control._at if control._listing and control._at is not UNSEEN else held[0] if held else UNSEEN
        at = (choices.position(near) if near is not UNSEEN else 0) or 0
        start = max(0, min(at - IN_REACH // 2, count - IN_REACH))
    return range(start, min(count, start + IN_REACH)), start, count


def in_reach(control: ControlState, memo: Memo) -> tuple[Reach, Sequence[int], bool]:
    """Return the items in reach, their positions, and True if they are others than in the view before."""
    choices = choices_seen(control)
    places, start, matches = places_in_reach(control, choices)
    before = memo.made_from
    is_other = before is None or before[0] is not choices
    differs = is_other or before[1] != places or before[2] != control._value
    known: dict[int, ItemView] = {} if is_other or len(before[4]) > KNOWN else before[4]
    items = items_at(choices, places, held_by(control), known) if differs else before[3]
    memo.made_from = choices, places, control._value, items, known
    return Reach(items, start, matches, len(choices)), places, differs


def at_item_of(control: ControlState) -> str:
    """Return the id of the item that Enter or Tab would take from an open list, or ""."""
    item = would_take(control)
    if item is UNSEEN:
        return ""
    choices = choices_seen(control)
    at = choices.position(item)
    return "" if at is None else item_id(choices, at)


def choice_part(
    control: ControlState,
    reach: Reach,
    *,
    look: str,
    placeholder: str,
    always_open: bool,
    other: bool,
    multiple: bool,
    longest: int,
    takes_open: tuple[str, ...],
) -> ChoicePart:
    """Return the part of a choice, filled by name. Compiled, names cost nothing here."""
    return ChoicePart._make(
        (
            look, placeholder, always_open, control._listing, reach.items, reach.start, reach.in_all, reach.matches,
            at_item_of(control), picked_texts(control), other, multiple, longest, takes_open,
        )
    )  # fmt: skip


FEW: Final = 6
"""How many items of a list are named: the first ones, one in the middle and the last ones."""


def few_texts(choices: Choices) -> list[str]:
    """Return the texts of a few items: the first, one in the middle and the last ones. Each is there once."""
    count = len(choices)
    if count <= FEW:
        texts: list[str] = list(choices.texts)
    else:
        texts = [choices.texts[at] for at in (0, 1, 2, count // 2, count - 2, count - 1)]
    return [*dict.fromkeys(texts)]
