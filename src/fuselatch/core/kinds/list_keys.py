"""The keys of a list: what moves in it, opens and closes it, and takes an item."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from fuselatch.core.forms.deeds import CHARACTER, Deed, Done, Enter, Keys, Put, Settle
from fuselatch.core.forms.live_state import AnyControl, ControlState
from fuselatch.core.kinds.listing import (
    MOVES,
    candidates,
    found_by_letters,
    moved,
    offered,
    would_take,
)
from fuselatch.core.model.cells import UNSEEN


def pick_moved(live: ControlState, key: str) -> Iterator[Deed]:
    """Move the pick, in a list that is always open."""
    yield Settle()
    value = live._read("value")
    at = moved(offered(live), range(len(offered(live))), UNSEEN if value is None else value, key)
    if at is not None:
        yield Enter(offered(live)[at])


def pick_by_letter(live: ControlState, key: str) -> Iterator[Deed]:
    """Pick the item that a letter finds; without one, the pick stays."""
    item = found_by_letters(live, key)
    if item is not UNSEEN:
        yield Enter(item)


def do_nothing(live: ControlState, key: str) -> Iterator[Deed]:
    """Keep a key from the browser, which would scroll."""
    return iter(())


def open_list(live: ControlState, key: str) -> Iterator[Deed]:
    """Open the list at the chosen item, or at the first one."""
    value = live._read("value")
    held = value if live._decl.multiple else () if value is None else (value,)
    at = offered(live).position(held[0]) if held else 0
    yield Put("_listing", True)
    yield Put("_at", offered(live)[at] if at is not None and at < len(offered(live)) else UNSEEN)


def close_list(live: ControlState, key: str) -> Iterator[Deed]:
    """Close the list; what was typed stays."""
    yield Put("_listing", False)


def move_in_list(live: ControlState, key: str) -> Iterator[Deed]:
    """Move in an open list, without picking."""
    at = moved(offered(live), candidates(live), would_take(live), key)
    if at is not None:
        yield Put("_at", offered(live)[at])


def take_item(live: ControlState, key: str) -> Iterator[Deed]:
    """Pick the item that the open list is at; without one, settle what was typed."""
    item = would_take(live)
    if item is not UNSEEN:
        yield Enter(item)
    elif live._draft:
        yield Settle()


def toggle_item(live: AnyControl, key: str) -> Iterator[Deed]:
    """Pick the item that the open list of a multiple choice is at, or take it away; the list stays open."""
    item = would_take(live)
    if item is not UNSEEN:
        yield Enter(live._decl.with_picked(live, item))
        if live.form.is_open and live.focused:
            yield Put("_listing", True)
    else:
        yield Done()


ALWAYS_OPEN: Final = Keys({**dict.fromkeys(MOVES, pick_moved), "Space": do_nothing, CHARACTER: pick_by_letter})
WITH_TEXT: Final = Keys(dict.fromkeys(MOVES, pick_moved))
CLOSED: Final = Keys(dict.fromkeys(("Down", "Up", "Alt+Down"), open_list))
OPEN: Final = Keys({**dict.fromkeys(MOVES, move_in_list), "Enter": take_item, "Alt+Up": close_list})
OPEN_FOR_SEVERAL: Final = Keys({**OPEN, "Enter": toggle_item, "Space": toggle_item})
ENDS: Final = ("Home", "End")


# ---- the live control
