"""The conformance kit for stores: what a form relies on, whatever store its records are in.

`CASES` has one case for each promise of `Store`. A test of your own store makes it with `ROWS` in the source `SOURCE`, and
runs each case on a new one:

    @pytest.mark.parametrize("case", CASES, ids=lambda case: case.name)
    def test_my_store_keeps_its_promises(case, tmp_path):
        make(tmp_path, SOURCE, ROWS, KEY)
        case.check(lambda: MyStore(tmp_path))
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from random import Random
from typing import Final, NamedTuple, TypeAlias

from fuselatch.core.engine.state.store import ChangedMeanwhile, Store, StoreRefused
from fuselatch.core.model.record_changes import Change, NewKey, Record
from fuselatch.core.model.values import alike

__all__ = ["CASES", "KEY", "ROWS", "SOURCE", "Case", "NotConforming"]

SOURCE: Final = "boats"
KEY: Final = "number"
"""The key column of the source: whole numbers, which the store gives to new rows."""
ROWS: Final[Sequence[Record]] = (
    {"number": 1, "boat": "Eider", "size": 9.5, "port": "Ostrey"},
    {"number": 2, "boat": "Teal", "size": 7.25, "port": None},
)
"""The rows that the source has at first: a whole number, two texts and a number."""

Opener: TypeAlias = Callable[[], Store]
"""Opens the same records again, as another program would."""


class NotConforming(AssertionError):
    """A store does something else than a form relies on. The message says what."""


class Case(NamedTuple):
    """One promise of a store: its name, and a function that tries it on a store that has just `ROWS`."""

    name: str
    run: Callable[[Opener], None]

    def check(self, opener: Opener) -> None:
        """Try the promise. `opener`: opens the same records again. Raises `NotConforming`."""
        try:
            self.run(opener)
        except StoreRefused as error:
            raise NotConforming(f"{self.name}: refused: {error}") from error


def expect(holds: object, what: str) -> None:
    """Raise `NotConforming` unless something holds."""
    if not holds:
        raise NotConforming(what)


def same_rows(found: Sequence[Mapping[str, object]], wanted: Sequence[Mapping[str, object]]) -> bool:
    """Return True if two lists of rows have the same columns and values; a blank may be None or ""."""
    return len(found) == len(wanted) and all(
        {*one} == {*other} and all(alike(value, other[column]) for column, value in one.items())
        for one, other in zip(found, wanted, strict=True)
    )


def rows_of(store: Store) -> list[Record]:
    return [dict(row) for row in store.read(SOURCE)]


def refused(opener: Opener, store: Store, changes: Sequence[Change]) -> StoreRefused:
    """Return the error with which a store refuses changes, and see that it has written none."""
    before = rows_of(opener())
    try:
        store.write(changes)
    except StoreRefused as error:
        expect("\n" not in str(error), f"a refusal is one line, not {str(error)!r}")
        expect(same_rows(rows_of(opener()), before), "a refused transaction writes nothing")
        return error
    raise NotConforming(f"write({', '.join(map(str, changes))}) must be refused")


def reads(opener: Opener) -> None:
    store = opener()
    expect(same_rows(rows_of(store), ROWS), f"read('{SOURCE}') must return the rows, not {rows_of(store)}")
    expect(list(store.columns(SOURCE)) == list(ROWS[0]), f"columns('{SOURCE}') must be in order")
    expect(store.key(SOURCE) == KEY and store.trouble(SOURCE) == "", "the key column is usable")
    for call in (store.read, store.version):
        try:
            call("nothing_of_that_name")
        except KeyError:
            continue
        raise NotConforming(f"{call.__name__} must raise KeyError for an unknown source")


def writes_all_or_none(opener: Opener) -> None:
    store = opener()
    first, second = store.read(SOURCE)
    change = Change("change", SOURCE, 1, {"boat": "Old Eider", "port": None}, first)
    refused(opener, store, [change, Change("add", SOURCE, 2, {"boat": "Teal again"})])
    before = store.version(SOURCE)
    keys = list(store.write([change, Change("remove", SOURCE, 2, {}, second)]))
    expect(keys == [1, 2], f"write returns the keys of the rows, not {keys}")
    expect(store.version(SOURCE) != before, "the version differs after a write")
    wanted = [{**ROWS[0], "boat": "Old Eider", "port": None}]
    for again in (store, opener()):
        expect(same_rows(rows_of(again), wanted), f"the rows are {wanted} after the write, not {rows_of(again)}")


def notices_others(opener: Opener) -> None:
    mine, theirs = opener(), opener()
    first, second = mine.read(SOURCE)
    theirs.write([Change("change", SOURCE, 1, {"boat": "Theirs"}, first)])
    both = [Change("change", SOURCE, 2, {"boat": "X"}, second), Change("change", SOURCE, 1, {"boat": "Mine"}, first)]
    error = refused(opener, mine, both)
    expect(isinstance(error, ChangedMeanwhile), "a row that someone else changed raises ChangedMeanwhile")
    row_told = error.theirs if isinstance(error, ChangedMeanwhile) else None
    expect(row_told is not None and row_told["boat"] == "Theirs", "ChangedMeanwhile.theirs is the row as it is now")
    mine.look()
    version = mine.version(SOURCE)
    expect([row["boat"] for row in mine.read(SOURCE)] == ["Theirs", "Teal"], "look() lets read see what others wrote")
    mine.look()
    expect(mine.version(SOURCE) == version, "the version stays if no one has written")
    theirs.write([Change("remove", SOURCE, 2, {}, second)])
    error = refused(opener, mine, [Change("change", SOURCE, 2, {"boat": "Mine"}, second)])
    expect(
        isinstance(error, ChangedMeanwhile) and error.theirs is None, "a removed row raises ChangedMeanwhile without theirs"
    )
    compared = Change("change", SOURCE, 1, {"size": 1.5}, first, frozenset({"size"}))
    expect(list(mine.write([compared])) == [1], "only the compared columns are a conflict")


def refuses_what_does_not_fit(opener: Opener) -> None:
    store = opener()
    error = refused(opener, store, [Change("add", SOURCE, None, {"bota": "Heron"})])
    expect("did you mean 'boat'" in str(error), f"an unknown column is refused with the closest name, not by {error}")
    refused(opener, store, [Change("add", "nothing_of_that_name", None, {"boat": "Heron"})])
    refused(opener, store, [Change("add", SOURCE, 2, {"boat": "Heron"})])
    refused(opener, store, [Change("change", SOURCE, 1, {"number": 2})])
    refused(opener, store, [Change("change", SOURCE, 1, {"number": None})])
    refused(opener, store, [Change("change", SOURCE, 9, {"boat": "Heron"})])
    refused(opener, store, [Change("add", SOURCE, None, {"boat": NewKey("elsewhere")})])


def gives_keys(opener: Opener) -> None:
    store = opener()
    new = NewKey(SOURCE)
    keys = list(
        store.write(
            [
                Change("add", SOURCE, new, {"boat": "Heron"}),
                Change("change", SOURCE, new, {"size": 3.5}),
                Change("add", SOURCE, None, {"boat": "Gull", "size": new}),
                Change("add", SOURCE, 40, {"boat": "Tern"}),
            ]
        )
    )
    expect(
        len({*keys, 1, 2}) == 5 and keys[1] == keys[0] and keys[3] == 40, f"each new row gets a key of its own, not {keys}"
    )
    by_boat = {row["boat"]: row for row in rows_of(opener())}
    expect(by_boat["Heron"][KEY] == keys[0] and by_boat["Heron"]["size"] == 3.5, "a NewKey stands for the key of its row")
    expect(by_boat["Gull"]["size"] == keys[0], "a NewKey in another row is replaced by the key")
    expect(
        set(by_boat["Heron"]) == {*ROWS[0]} and by_boat["Heron"]["port"] in (None, ""), "a column that isn't given is blank"
    )


def edits_keys(opener: Opener) -> None:
    store = opener()
    first = store.read(SOURCE)[0]
    keys = list(
        store.write([Change("change", SOURCE, 1, {"number": 7}, first), Change("change", SOURCE, 7, {"boat": "Seven"})])
    )
    expect(keys == [7, 7], f"a row whose key is edited has the new one from then on, not {keys}")
    expect(sorted(row[KEY] for row in rows_of(opener())) == [2, 7], "it is still one row")


def follows_in_order(opener: Opener) -> None:
    store = opener()
    first = store.read(SOURCE)[0]
    changes = [
        Change("change", SOURCE, 1, {"boat": "One"}, first),
        Change("remove", SOURCE, 1, {}, {**first, "boat": "One"}),
        Change("add", SOURCE, 1, {"boat": "Two"}),
        Change("change", SOURCE, 1, {"boat": "Three"}),
    ]
    store.write(changes)
    boats = {row[KEY]: row["boat"] for row in rows_of(opener())}
    expect(boats == {1: "Three", 2: "Teal"}, f"changes of one transaction follow one another, not {boats}")
    before = rows_of(store)
    store.write([Change("change", SOURCE, 1, {})])
    expect(same_rows(rows_of(store), before), "a change without columns only sees that the row is there")


def follows_any_order(opener: Opener) -> None:
    store, random = opener(), Random(7)
    for _ in range(12):
        held = sorted(rows_of(store), key=lambda row: row[KEY])
        changes: list[Change] = []
        for _ in range(random.randint(1, 5)):
            row = {"boat": random.choice(("Heron", "a,b", 'q"', None)), "size": random.choice((None, 0.5))}
            kind = random.choice(("add", "change", "remove")) if held else "add"
            at = random.randrange(len(held)) if held else 0
            if kind == "add":
                new = max((each[KEY] for each in held), default=0) + 1
                held.append({**dict.fromkeys(ROWS[0]), KEY: new, **row})
                changes.append(Change("add", SOURCE, new, dict(held[-1])))
            elif kind == "change":
                changes.append(Change("change", SOURCE, held[at][KEY], row, dict(held[at])))
                held[at] = {**held[at], **row}
            else:
                changes.append(Change("remove", SOURCE, held[at][KEY], {}, held.pop(at)))
        store.write(changes)
        for again in (store, opener()):
            in_order = sorted(rows_of(again), key=lambda row: row[KEY])
            told = "; ".join(map(str, changes))
            expect(same_rows(in_order, held), f"after {told} the rows are {held}, not {in_order}")


def values_come_back(opener: Opener) -> None:
    store = opener()
    for text in (" a, b ", 'say "x"', "one\ntwo", "=1+1", "Łódź 🚤", "x" * 5_000, "'", "007", ""):
        try:
            store.write([Change("change", SOURCE, 1, {"boat": text})])
        except StoreRefused:
            continue
        value = next(row["boat"] for row in rows_of(opener()) if row[KEY] == 1)
        expect(alike(value, text), f"a text that is written comes back, or is refused: {text[:20]!r} became {value!r:.40}")
    try:
        store.write([Change("change", SOURCE, 1, {"size": "big"})])
    except StoreRefused as error:
        expect("big" in str(error) and "\n" not in str(error), f"a text for a number is refused in one line, not by {error}")
    else:
        expect(rows_of(opener())[0]["size"] == "big", "a text for a number is kept, or refused")


def can_be_emptied(opener: Opener) -> None:
    store = opener()
    store.write([Change("remove", SOURCE, row[KEY], {}, row) for row in store.read(SOURCE)])
    for again in (store, opener()):
        # A source without rows may not know its columns.
        known = list(again.columns(SOURCE)) in ([], list(ROWS[0]))
        expect(len(again.read(SOURCE)) == 0 and known, "a source without rows has its columns, or none")
    (key,) = store.write([Change("add", SOURCE, None, {"boat": "First"})])
    expect(
        isinstance(key, int) and [row["boat"] for row in rows_of(opener())] == ["First"], "the first new row gets a number"
    )


CASES: Final = (
    Case("reads its rows, columns and key", reads),
    Case("writes all changes of a gesture or none", writes_all_or_none),
    Case("notices what someone else has written", notices_others),
    Case("refuses what doesn't fit, in one line", refuses_what_does_not_fit),
    Case("gives keys to new rows", gives_keys),
    Case("lets a key be edited", edits_keys),
    Case("carries out changes one after the other", follows_in_order),
    Case("carries out any changes as memory does", follows_any_order),
    Case("gives back the texts that it took", values_come_back),
    Case("can be emptied", can_be_emptied),
)
"""Every promise of a store that holds for all of them."""
