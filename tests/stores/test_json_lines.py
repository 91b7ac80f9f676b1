"""JSON Lines: what a line keeps, and what is refused."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from fuselatch.core.model.record_changes import Change
from fuselatch.stores import JsonLinesRecords, StoreRefused, open_records

BOATS = '{"number": 1, "boat": "Eider", "size": 9.50, "more": {"crew": [1, 2.10]}}\r\n\n{ "number":2,"size":1e5 }'

WRITTEN: list[tuple[Change, str]] = [
    (Change("change", "boats", 1, {"boat": "Møre"}), '{"number": 1, "boat": "Møre", "size": 9.50, "more": {"crew": [1, 2.10]}}\n{ "number":2,"size":1e5 }\n'),
    (Change("change", "boats", 2, {"boat": "Teal"}), BOATS.splitlines()[0] + '\r\n{"number": 2, "size": 1E+5, "boat": "Teal"}\n'),
    (Change("add", "boats", None, {"size": 2.5}), BOATS.splitlines()[0] + '\r\n{ "number":2,"size":1e5 }\n{"number": 3, "boat": null, "size": 2.5}\n'),
    (Change("remove", "boats", 1, {}), '{ "number":2,"size":1e5 }\n'),
]  # fmt: skip


@pytest.mark.parametrize(("change", "text"), WRITTEN, ids=["longer", "shorter", "added", "removed"])
def test_only_what_is_written_changes(change: Change, text: str, tmp_path: Path) -> None:
    file = tmp_path / "boats.jsonl"
    file.write_bytes(BOATS.encode())
    store = open_records(tmp_path)
    assert isinstance(store, JsonLinesRecords) and list(store.columns("boats")) == ["number", "boat", "size"]
    store.write([change])
    assert file.read_bytes().decode() == text
    assert [dict(row) for row in open_records(tmp_path).read("boats")] == [dict(row) for row in store.read("boats")]


REFUSED: list[tuple[bytes, str]] = [
    (b'{"a": 1}\n[1]', "2: an object is needed, not [1]"),
    (b'{"a": 1}\n\n{"a": 2', "3: not valid JSON at column 8: Expecting ',' delimiter"),
    (b'{"a": 1, "a": 2}', "1: 'a' appears twice"),
    (b'{"a": NaN}', "1: NaN isn't a value of JSON"),
    (b'{"a": "\xff"}', "1: not valid UTF-8; save the file as UTF-8"),
    (b"[" * 100_000, "1: "),
]


@pytest.mark.parametrize(("data", "told"), REFUSED, ids=[told for _, told in REFUSED])
def test_a_line_that_can_not_be_read_is_told(data: bytes, told: str, tmp_path: Path) -> None:
    (tmp_path / "boats.jsonl").write_bytes(data)
    with pytest.raises(StoreRefused) as refused:
        JsonLinesRecords(tmp_path).read("boats")
    assert str(refused.value).startswith(f"boats.jsonl:{told}") and "\n" not in str(refused.value)


@pytest.mark.parametrize("value", ["\ud800", float("nan"), float("inf"), b"x"], ids=repr)
def test_a_value_that_would_not_come_back_is_refused(value: Any, tmp_path: Path) -> None:
    (tmp_path / "boats.jsonl").write_bytes(BOATS.encode())
    with pytest.raises(StoreRefused):
        JsonLinesRecords(tmp_path).write([Change("change", "boats", 1, {"boat": value})])
    assert (tmp_path / "boats.jsonl").read_bytes() == BOATS.encode()
