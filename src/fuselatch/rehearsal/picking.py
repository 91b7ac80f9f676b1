"""Say which of several items that read the same is picked."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from fuselatch.core.engine.session import Session
from fuselatch.core.forms.catalogs import Catalog
from fuselatch.core.forms.live_state import AnyControl
from fuselatch.core.model.choices import fold_of, item_id
from fuselatch.core.model.errors import FuseLatchError, UnknownName
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.names import suggest
from fuselatch.rehearsal.expectations import same_plain

if TYPE_CHECKING:
    from fuselatch.rehearsal.desk_view import DeskView


def item_meant(desk: DeskView, name: str, text: str, which: Sequence[str]) -> str:
    """Return the id of the item that a text means, with `at PLACE` or `where COLUMN VALUE`."""
    control: AnyControl = desk.session.control(name)
    choices: Any = getattr(control, "choices", None)
    rows: Sequence[Any]
    items = choices.find(text, fold_of(desk.session.formats)) if choices is not None else []
    if len(which) == 2 and which[0] == "at":
        if not which[1].isdecimal() or not 1 <= int(which[1]) <= len(items):
            raise UnknownName(
                f"{len(items)} items of {name} read '{text}': use a number from 1 to {len(items)}, not '{which[1]}'"
            )
        return item_id(choices, choices.position(items[int(which[1]) - 1]))
    if len(which) != 3 or which[0] != "where":
        raise UnknownName(f"after pick {name} {text} comes 'at PLACE' or 'where COLUMN VALUE', not '{' '.join(which)}'")
    catalog = control.declared.rules.get("choices")
    if control.declared.has_columns:
        rows, source, value = control.rows(), name, ""
    elif isinstance(catalog, Catalog):
        rows = desk.session.records.rows(catalog.source) if catalog.frame is None else catalog.frame.to_dict("records")
        source, value = catalog.source, catalog.value
    else:
        raise UnknownName(f"the items of {name} come from no catalog, so they have no columns; use 'at PLACE'")
    columns = list(rows[0]) if rows else []
    if which[1] not in columns:
        raise UnknownName(f"'{source}' has no column '{which[1]}'; {suggest(which[1], columns)}")
    held = {row[value] if value else choices[at] for at, row in enumerate(rows) if same_plain(row[which[1]], which[2])}
    meant = [item for item in items if item in held]
    if len(meant) != 1:
        raise UnknownName(f"{len(meant)} items of {name} read '{text}' where {which[1]} is '{which[2]}'")
    return item_id(choices, choices.position(meant[0]))


def words_for_item(session: Session, gesture: Gesture) -> list[str]:
    """Return the words that tell a picked item from others that read the same: none, or `at PLACE`."""
    if not gesture.item or gesture.verb != "pick":
        return []
    try:
        control = session.control(f"{gesture.form}.{gesture.control}" if gesture.form else gesture.control)
    except FuseLatchError:
        return []
    choices: Any = getattr(control, "choices", None)
    items = choices.find(gesture.text, fold_of(session.formats)) if choices is not None else []
    ids = [item_id(choices, choices.position(each)) for each in items]
    return ["at", str(ids.index(gesture.item) + 1)] if len(items) > 1 and gesture.item in ids else []
