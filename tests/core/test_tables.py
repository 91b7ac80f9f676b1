"""Tables: rows of a source in columns, sorted, filtered, chosen and double-clicked."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, cast

import pytest
from small.berths import plan

from fuselatch import Catalog, DeclarationError, Table, UnknownName
from fuselatch.rehearsal import rehearse


@pytest.mark.parametrize(
    ("act", "error", "message"),
    [
        (lambda desk: desk.form.berths.sort_by("x"), UnknownName, "Plan.berths has no column 'x'; choose from name, length"),
        (lambda desk: Table("T", rows=cast(Any, ["a"]), columns=("a",)), DeclarationError, "rows must be a Catalog or a function"),
        (lambda desk: Table("T", rows=Catalog("b", text="n"), columns="name"), DeclarationError, "columns must be a tuple of names"),
        (lambda desk: Table("T", rows=Catalog("b", text="n"), columns=("n",), sort="m"), DeclarationError, "sort='m' isn't one of its columns"),
    ],
)  # fmt: skip
def test_a_wrong_use_is_told(act: Callable[[Any], None], error: type[Exception], message: str) -> None:
    with rehearse(plan) as desk, pytest.raises(error, match=message):
        act(desk)


def test_the_view_has_the_columns_and_the_cells_as_they_are_shown() -> None:
    with rehearse(plan) as desk:
        desk.pick("pier", "North")
        seen: Any = next(control.part for control in desk.session.view.forms[0].controls if control.name == "berths")
        assert [column.kind for column in seen.columns] == ["text", "number", "date", "tick"]
        assert (seen.columns[2].caption, seen.sorted_by, seen.choice_count) == ("Free from", "length", 3)
        assert seen.cells == (("N2", "9.5", "5/6/2031", "yes"), ("N1", "12", "", "no"), ("N3", "", "5/5/2031", ""))
