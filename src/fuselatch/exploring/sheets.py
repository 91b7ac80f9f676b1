"""The cue sheets of a folder: what they enter is entered, too, and what they try counts."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import Path

from fuselatch.rehearsal.cues import CueSheet, read_cue_file


def words_in(folder: Path) -> Mapping[str, list[str]]:
    """Return what the cue sheets in a folder enter, by control. Raises `CueError`, `OSError`."""
    words: dict[str, list[str]] = {}
    for sheet in sheets_in(folder):
        for cue in sheet.steps:
            if cue.verb in ("type", "paste") and len(cue.words) == 2:
                name, text = cue.texts()
                words.setdefault(name, []).append(text)
    return words


def sheets_in(folder: Path) -> Iterator[CueSheet]:
    """Yield the cue sheets in a folder that aren't parts of others, once for each row of a table."""
    for path in sorted(folder.rglob("*.cues")):
        if not path.name.startswith("_"):
            yield from read_cue_file(path).runs
