"""Approvals: a file that says that a form's cue sheets passed, with hashes."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import asdict, dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Final

from fuselatch.rehearsal.cues import CueSheet, read_cue_file
from fuselatch.rehearsal.imports import files_behind, files_of, find, root_of

ENDING: Final = ".approved.json"


@dataclass(frozen=True, slots=True)
class Approval:
    """The contents of `NAME.approved.json`.

    The file, who approved it and when (ISO 8601), how many steps passed in each cue sheet, and the SHA-256 of each file by
    its path from the approval's folder.
    """

    file: str
    by: str
    when: str
    cue_sheets: dict[str, int]
    files: dict[str, str]
    version: int = field(default=1)


def note_of(file: Path) -> Path:
    """Return the path of a file's approval."""
    return file.with_name(file.stem + ENDING)


def hash_of(file: Path) -> str:
    """Return a file's SHA-256, with line ends as on every system."""
    return hashlib.sha256(file.read_bytes().replace(b"\r\n", b"\n")).hexdigest()


def own_files(file: Path) -> list[Path]:
    """Return a file and its imports from its own folder and below."""
    folder = file.resolve().parent
    return [found for found in files_behind(file, [folder, root_of(file)]) if found.is_relative_to(folder)]


def sheets_of(file: Path, more: Iterable[Path] = ()) -> Iterator[CueSheet]:
    """Yield the cue sheets in and below a file's folder that use it, then `more`.

    Raises `CueError`.
    """
    named = [path.resolve() for path in more]
    for path in sorted(file.parent.rglob("*.cues")):
        if path.name.startswith("_") or path.resolve() in named:
            continue
        # A sheet that can't be read may open the file's forms, so it isn't skipped.
        sheet = read_cue_file(path)
        if file.resolve() in files_of(sheet, [root_of(file.resolve())]):
            yield sheet
    for path in named:
        yield read_cue_file(path)


def hashes_of(file: Path) -> dict[str, str]:
    """Return the hashes of a file and its local imports, by path."""
    folder = file.resolve().parent
    return {found.relative_to(folder).as_posix(): hash_of(found) for found in own_files(file)}


def approve(file: Path, files: dict[str, str], passed: dict[str, int], by: str, when: datetime) -> Approval:
    """Write the approval of a file. `files`: hashes from before its cue sheets ran."""
    approval = Approval(file.name, by, when.isoformat(timespec="seconds"), passed, files)
    text = json.dumps(asdict(approval), indent=2, ensure_ascii=False) + "\n"
    note_of(file).write_text(text, encoding="utf-8")
    return approval


def objection(file: Path) -> str:
    """Return why a file isn't approved, or ""."""
    folder = file.resolve().parent
    approvals = [read(note) for note in sorted(folder.glob(f"*{ENDING}"))]
    own = own_files(file)
    if not own:
        return f"{file.name} belongs to an installed package and can't be approved"
    for found in own:
        name = found.relative_to(folder).as_posix()
        known = [approval for approval in approvals if name in approval.files]
        if not known:
            return f"{name} is not approved; approve it with: fuselatch approve {file.name}"
        if hash_of(found) not in [approval.files[name] for approval in known]:
            last = max(known, key=lambda approval: approval.when)
            since = f"{name} has changed since {last.by} approved it at {last.when}"
            return f"{since}; approve it again: fuselatch approve {file.name}"
    return ""


def objection_to(sheet: CueSheet, folders: Sequence[Path]) -> str:
    """Return why what a cue sheet opens isn't approved, or ""."""
    own = Path(sheet.name).resolve().parent
    files = sorted((own / sheet.forms.text).glob("*.py")) if sheet.forms is not None else []
    if sheet.opens.verb != "forms":
        found = find(sheet.opens.words[0].text.partition(":")[0], [own, *folders])
        files += [found] if found is not None else []
    return next((why for file in files if (why := objection(file))), "")


def read(note: Path) -> Approval:
    """Read an approval; raise `ValueError` if it isn't valid."""
    try:
        found = json.loads(note.read_text(encoding="utf-8"))
        return Approval(
            found["file"],
            found["by"],
            found["when"],
            dict(found["cue_sheets"]),
            dict(found["files"]),
            found["version"],
        )
    except (ValueError, KeyError, TypeError) as error:
        raise ValueError(
            f"{note.name} isn't a valid approval ({type(error).__name__}: {error}); approve the file again"
        ) from None
