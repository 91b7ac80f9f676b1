"""Find the files that a cue sheet or module depends on, without importing them."""

from __future__ import annotations

import ast
import os
import sys
import sysconfig
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Final

from fuselatch.rehearsal.cues import CueSheet

INSTALLED: Final = (
    *(Path(sysconfig.get_path(name)) for name in ("purelib", "platlib", "stdlib")),
    *(Path(sysconfig.get_path(name)).resolve() for name in ("purelib", "platlib", "stdlib")),
    Path(__file__).resolve().parents[1],
)
"""The folders of installed packages, and of this library."""


def files_of(sheet: CueSheet, folders: Sequence[Path]) -> list[Path]:
    """Return the files that a cue sheet depends on, except installed packages.

    Itself, those it includes, its policy, and its Python files. Modules are looked up in `folders`, then on Python's path.
    """
    own = Path(sheet.name).resolve().parent
    files = [Path(name).resolve() for name in sheet.files]
    if sheet.policy is not None:
        files.append((own / sheet.policy.text).resolve())
    if sheet.forms is not None:
        for file in sorted((own / sheet.forms.text).glob("*.py")):
            files += files_behind(file, [own, *folders])
    if sheet.opens.verb != "forms":
        module = sheet.opens.words[0].text.partition(":")[0]
        file_of = find(module, [own, *folders])
        files += files_behind(file_of, [own, *folders]) if file_of is not None else []
    return [file for file in dict.fromkeys(files) if file.exists()]


def files_behind(file: Path, folders: Sequence[Path]) -> list[Path]:
    """Return a Python file and its imports, direct or not, except installed packages."""
    files: dict[Path, None] = {}
    waiting = [file.resolve()]
    while waiting:
        path = waiting.pop()
        if path in files or any(path.is_relative_to(place) for place in INSTALLED):
            continue
        files[path] = None
        root = root_of(path)
        for name in imported(path):
            target = find(name, [*folders, root])
            if target is not None:
                waiting.append(target.resolve())
    return sorted(files)


LEFT_OUT: Final = frozenset({"node_modules", "site-packages"})
"""Folders of other people's code."""


def python_files_below(folder: Path) -> list[Path]:
    """Return the Python files in and below a folder, sorted.

    Hidden folders, environments, links to folders and other people's code are left out.
    """
    paths: list[Path] = []
    for place, folders, files in os.walk(folder):
        folders[:] = [
            name
            for name in folders
            if not name.startswith((".", "__")) and name not in LEFT_OUT and not Path(place, name, "pyvenv.cfg").exists()
        ]
        paths += [Path(place, name) for name in files if name.endswith(".py")]
    return sorted(paths)


def root_of(path: Path) -> Path:
    """Return the folder above a file's package, where its imports start."""
    folder = path.parent
    while (folder / "__init__.py").exists():
        folder = folder.parent
    return folder


def imported(path: Path) -> Iterator[str]:
    """Yield the modules that a file imports; `from a import b` yields `a` and `a.b`."""
    try:
        tree = ast.parse(path.read_text(encoding="utf-8-sig"))
    except (OSError, SyntaxError, UnicodeDecodeError):
        return
    package = ".".join(path.relative_to(root_of(path)).with_suffix("").parts[:-1])
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom):
            parts = package.split(".") if package else []
            base = ".".join([*parts[: len(parts) - node.level + 1], node.module or ""]) if node.level else node.module or ""
            base = base.strip(".")
            yield base
            yield from (f"{base}.{alias.name}".strip(".") for alias in node.names)


def find(module: str, folders: Sequence[Path]) -> Path | None:
    """Return a module's file in the folders or on Python's path, or None."""
    parts = module.split(".")
    if not module or parts[0] in sys.stdlib_module_names:
        return None
    for folder in (*folders, *(Path(place) for place in sys.path)):
        stem = folder.joinpath(*parts)
        for candidate in (stem.with_suffix(".py"), stem / "__init__.py"):
            if candidate.is_file():
                return candidate
    return None
