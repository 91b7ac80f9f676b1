"""Approvals: a file that says that a form's cue sheets passed, with hashes of all that was read while they ran."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import asdict, dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Final

from fuselatch.rehearsal.cues import CueSheet, read_cue_file
from fuselatch.rehearsal.fresh_imports import NotApproved, importing_text, is_installed
from fuselatch.rehearsal.imports import files_of, find, root_of
from fuselatch.rehearsal.loading import forget_imports
from fuselatch.rehearsal.reach import Ledger, told_to

ENDING: Final = ".approval.json"
VERSION: Final = 2


@dataclass(frozen=True, slots=True)
class Approval:
    """The contents of `NAME.approval.json`.

    The file, who approved it and when (ISO 8601), how many steps passed in each cue sheet, and the SHA-256 of each file that
    was read, by its path from the approval's folder: Python files that aren't installed, cue sheets and policies.
    """

    file: str
    by: str
    when: str
    cue_sheets: dict[str, int]
    files: dict[str, str]
    version: int = field(default=VERSION)


def note_of(file: Path) -> Path:
    """Return the path of a file's approval."""
    return file.with_name(file.stem + ENDING)


def hash_of(data: bytes) -> str:
    """Return the SHA-256 of a text file's contents, with line ends as on every system."""
    return hashlib.sha256(data.replace(b"\r\n", b"\n")).hexdigest()


def plain_path(path: Path) -> str:
    """Return a path as approvals compare it: absolute, links not followed."""
    return os.path.abspath(path)


# ---- what was read


class Readings:
    """A ledger: the hash of each file that was read, by its absolute path."""

    def __init__(self) -> None:
        self.files: dict[str, str] = {}
        self.changed = ""

    def saw(self, path: Path, data: bytes) -> None:
        """Note a file. One that has another text than before can't be approved."""
        place, digest = plain_path(path), hash_of(data)
        if self.files.setdefault(place, digest) != digest:
            self.changed = self.changed or path.name

    def beside(self, file: Path) -> dict[str, str]:
        """Return the hashes by path from a file's folder."""
        folder = os.path.dirname(plain_path(file))
        return {os.path.relpath(place, folder).replace(os.sep, "/"): digest for place, digest in sorted(self.files.items())}


class Approved:
    """A ledger that refuses what isn't approved: all that one run reads must be in one approval.

    `open_with` says which approvals there are, once it is known what a cue sheet opens.
    """

    def __init__(self) -> None:
        self.seen: dict[str, str] = {}
        self.candidates: list[tuple[Path, Approval]] | None = None
        self.objection = ""

    def saw(self, path: Path, data: bytes) -> None:
        """Note a file; raise `NotApproved`."""
        self.seen[plain_path(path)] = hash_of(data)
        if self.candidates is not None:
            self.narrow(plain_path(path), self.seen[plain_path(path)])

    def open_with(self, files: Sequence[Path]) -> None:
        """Look for approvals beside the files that are opened, and check what was read so far. Raises `NotApproved`."""
        notes = [
            note for folder in dict.fromkeys(file.parent for file in files) for note in sorted(folder.glob(f"*{ENDING}"))
        ]
        try:
            self.candidates = [(note.parent, read(note)) for note in notes]
        except ValueError as error:
            raise NotApproved(str(error)) from None
        for file in files:
            if not any(hash_in(approval, folder, plain_path(file)) for folder, approval in self.candidates):
                raise NotApproved(not_yet(file.name))
        for place, digest in self.seen.items():
            self.narrow(place, digest)

    def narrow(self, place: str, found: str) -> None:
        """Keep the approvals that have a file as it is; raise `NotApproved` if none does."""
        known = [(folder, approval, hash_in(approval, folder, place)) for folder, approval in self.candidates or ()]
        self.candidates = [(folder, approval) for folder, approval, hashed in known if hashed == found]
        if not self.candidates:
            self.objection = self.objection or why_not(os.path.basename(place), [each[1] for each in known if each[2]])
            raise NotApproved(self.objection)


def hash_in(approval: Approval, folder: Path, place: str) -> str:
    """Return the hash that an approval has for a file, or ""."""
    return approval.files.get(os.path.relpath(place, plain_path(folder)).replace(os.sep, "/"), "")


def why_not(name: str, known: Sequence[Approval]) -> str:
    """Return why a file isn't approved. `known`: the approvals that name it, but with another text."""
    if not known:
        return f"{name} is not approved with the rest; approve the file of the forms again: fuselatch approve FILE.py"
    last = max(known, key=lambda approval: approval.when)
    since = f"{name} has changed since {last.by} approved it at {last.when}"
    return f"{since}; approve it again: fuselatch approve {last.file}"


@contextmanager
def read_afresh(ledger: Ledger) -> Iterator[None]:
    """Tell a ledger each file that is read within the block, and import as if nothing had been imported before."""
    forget_imports()
    try:
        with told_to(ledger), importing_text():
            yield
    finally:
        forget_imports()


@contextmanager
def only_approved(files: Iterable[Path], ledger: Approved) -> Iterator[None]:
    """Import only approved files within the block. `files`: those that are opened. Raises `NotApproved`."""
    with read_afresh(ledger):
        ledger.open_with(list(files))
        yield


def files_opened(sheet: CueSheet, folders: Sequence[Path]) -> Iterator[Path]:
    """Yield the files of the forms that a cue sheet opens; their approvals are beside them."""
    own = Path(sheet.name).resolve().parent
    # The rows of a table may open different forms.
    for folder in {run.forms.text for run in sheet.runs if run.forms is not None}:
        yield from sorted((own / folder).glob("*.py"))
    for module in {run.opens.words[0].text.partition(":")[0] for run in sheet.runs if run.opens.verb != "forms"}:
        yield from file_of(module, [own, *folders])


def file_of(module: str, folders: Sequence[Path]) -> Iterator[Path]:
    """Yield the file of a module, if there is one. Raises `NotApproved` for one that can't be approved."""
    spec = find(module, folders)
    if spec is not None:
        if is_installed(spec):
            raise NotApproved(f"{spec.name} belongs to an installed package and can't be approved")
        yield spec


# ---- approving


def sheets_of(file: Path, more: Iterable[Path] = (), folders: Sequence[Path] = ()) -> Iterator[CueSheet]:
    """Yield the cue sheets in and below a file's folder that use it, then `more`. Raises `CueError`."""
    named = [path.resolve() for path in more]
    for path in sorted(file.parent.rglob("*.cues")):
        if path.name.startswith("_") or path.resolve() in named:
            continue
        # A sheet that can't be read may open the file's forms, so it isn't skipped.
        sheet = read_cue_file(path, folders=folders)
        if file.resolve() in files_of(sheet, [root_of(file.resolve())]):
            yield sheet
    for path in named:
        yield read_cue_file(path, folders=folders)


def approve(file: Path, files: Mapping[str, str], passed: Mapping[str, int], by: str, when: datetime) -> Approval:
    """Write the approval of a file. `files`: the hashes of what was read while its cue sheets ran."""
    approval = Approval(file.name, by, when.isoformat(timespec="seconds"), dict(passed), dict(files))
    text = json.dumps(asdict(approval), indent=2) + "\n"
    note_of(file).write_text(text, encoding="utf-8")
    return approval


def objection(file: Path) -> str:
    """Return why a file isn't approved as it and all files of its approval are now, or "".

    A program may ask before it imports the file. What is imported afterwards isn't looked at again.
    """
    place = plain_path(file)
    folder = Path(place).parent
    if is_installed(Path(place)):
        return f"{file.name} belongs to an installed package and can't be approved"
    approvals = [read(note) for note in sorted(folder.glob(f"*{ENDING}"))]
    wrong = [(first_changed(each, folder), each) for each in approvals if hash_in(each, folder, place)]
    if not wrong:
        return not_yet(file.name)
    name, approval = next((each for each in wrong if not each[0]), wrong[0])
    return why_not(os.path.basename(name), [approval]) if name else ""


def not_yet(name: str) -> str:
    """Return that a file isn't approved, and how it is."""
    return f"{name} is not approved; approve it with: fuselatch approve {name}"


def first_changed(approval: Approval, folder: Path) -> str:
    """Return the first file of an approval that isn't as it was, or ""."""
    for name, known_hash in approval.files.items():
        try:
            if hash_of((folder / name).read_bytes()) != known_hash:
                return name
        except OSError:
            return name
    return ""


def read(note: Path) -> Approval:
    """Read an approval; raise `ValueError` if it isn't valid."""
    try:
        data = json.loads(note.read_text(encoding="utf-8"))
        approval = Approval(
            str(data["file"]),
            str(data["by"]),
            str(data["when"]),
            {str(name): int(count) for name, count in data["cue_sheets"].items()},
            {str(name): str(hashed) for name, hashed in data["files"].items()},
            data["version"],
        )
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        why = f"{type(error).__name__}: {error}"
        raise ValueError(f"{note.name} isn't a valid approval ({why}); approve the file again") from None
    if approval.version != VERSION:
        raise ValueError(f"{note.name} is of an earlier version; approve the file again")
    return approval
