"""Two users at one store: whatever one does and the other writes, sessions stay sound and nothing is doubled."""

from __future__ import annotations

from contextlib import suppress
from random import Random
from typing import Any

import pytest
from small.ledger import Ledger

from fuselatch import HandlerFailed, Refused, UnknownName
from fuselatch.core.model.record_changes import Change
from fuselatch.rehearsal import Desk, rehearse
from fuselatch.stores import MemoryRecords, RecordError, StoreRefused
from tests.helpers import act, sound_view

NAMES = ("Teal", "Eider", "Wren", "Gull", "")


def step(random: Random, desk: Desk) -> None:
    """Do something that the user can do now."""
    if desk.prompt:
        desk.answer(random.choice(desk.prompt.buttons))
        return
    form = desk.at(Ledger)
    count = len(form.gear.rows)
    line = f"gear[{random.randrange(count)}]" if count else ""
    steps = [
        f"type name '{random.choice(NAMES)}'", f"type fee '{random.choice(('1', '2.50', ''))}'", "tab", "press keep", "press charge",
        "press rig", f"type id '{random.choice(('', '1', '2', '7', '8'))}'", "add_line gear",
        f"record {random.choice(('next', 'previous', 'first', 'last', 'new', 'save', 'remove'))}", "record save",
    ]  # fmt: skip
    if line:
        steps += [f"type {line}.what '{random.choice(NAMES)}'", f"remove_line {line}", f"move_line {line} 0"]
    act(desk, random.choice(steps))


def other_writes(random: Random, store: MemoryRecords) -> None:
    """Change, remove or add a row as another user does."""
    source = random.choice(("boats", "gear"))
    rows = store.read(source)
    value = {"name": random.choice(NAMES)} if source == "boats" else {"what": random.choice(NAMES)}
    change = Change("add", source, None, value)
    if rows and random.random() < 0.8:
        row = random.choice(rows)
        change = Change(random.choice(("change", "change", "remove")), source, row["id"], {}, None)
        change = change._replace(row=value if change.kind == "change" else {})
    with suppress(StoreRefused):
        store.write([change])


@pytest.mark.parametrize("part", range(4))
def test_whatever_two_users_do_sessions_stay_sound(part: int, request: pytest.FixtureRequest) -> None:
    for seed in range(max(20, request.config.getoption("--gestures") // 200)):
        random = Random(f"{part}/{seed}")
        boats = [{"id": at, "name": random.choice(NAMES), "fee": None} for at in (1, 2, 3)]
        items = [{"id": at, "boat": 1 + at % 3, "what": "rope"} for at in range(1, 5)]
        store = MemoryRecords({"boats": boats, "gear": items}, keys={"boats": "id", "gear": "id"})
        with rehearse(Ledger, records=store) as desk:
            for _ in range(25):
                if random.random() < 0.3:
                    other_writes(random, store)
                try:
                    step(random, desk)
                except (Refused, UnknownName, RecordError):
                    pass
                except HandlerFailed as error:
                    # The other has removed the row that the handler writes.
                    assert isinstance(error.error, UnknownName), (part, seed)
                if not desk.session.forms:
                    break
                sound_view(desk.session)
                for source in ("boats", "gear"):
                    keys = [row["id"] for row in store.read(source)]
                    assert len({*keys}) == len(keys) and None not in keys, (part, seed, source)
            while desk.prompt:
                desk.answer(desk.prompt.cancel)
            settled(desk, store)
            with suppress(HandlerFailed):
                desk.close()


def settled(desk: Desk, store: MemoryRecords) -> None:
    """Save what is left; if nothing stands in the way, the store has just what the form shows."""
    with suppress(Refused):
        desk.record("save")
    for _ in range(5):
        if desk.prompt:
            desk.answer("Keep mine" if "Keep mine" in desk.prompt.buttons else desk.prompt.cancel)
    form = desk.at(Ledger)
    key = form.records.key
    if key is None or desk.prompt or form.records.is_changed:
        return
    try:
        # Read again, so that the other's last write shows.
        desk.record(key)
    except (Refused, UnknownName):
        # The other has removed it.
        return
    if desk.prompt or form.records.key != key:
        return
    row: Any = next((row for row in store.read("boats") if row["id"] == key), None)
    assert row is not None
    assert (row["id"], row["name"] or "", row["fee"]) == (form.id.value, form.name.value, form.fee.value)
    kept = sorted((item["id"], item["what"] or "") for item in store.read("gear") if item["boat"] == key)
    assert kept == sorted((line.id.value or 0, line.what.value) for line in form.gear.rows)
