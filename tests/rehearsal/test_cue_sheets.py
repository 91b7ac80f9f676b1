"""Every cue sheet under tests/cues passes, with the forms of the examples."""

from __future__ import annotations

from pathlib import Path

import pytest

from fuselatch.rehearsal import perform, read_cues

SHEETS = sorted((Path(__file__).parents[1] / "cues").glob("*.cues"))


@pytest.mark.parametrize("path", SHEETS, ids=lambda path: path.stem)
def test_the_cue_sheet_passes(path: Path) -> None:
    done = perform(read_cues(path.read_text(encoding="utf-8"), path.name))
    assert done.problems == [] and done.steps
