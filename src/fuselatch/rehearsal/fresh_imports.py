"""Import Python files as their text is now, and tell each to the ledgers: no cached code, and nothing else runs."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from importlib.machinery import ModuleSpec, SourceFileLoader
from pathlib import Path
from types import CodeType, ModuleType
from typing import Any

from fuselatch.core.model.errors import FuseLatchError
from fuselatch.rehearsal.imports import INSTALLED
from fuselatch.rehearsal.reach import note


class NotApproved(FuseLatchError, ImportError):
    """A file that isn't approved, or isn't as it was approved."""


def is_installed(path: Path) -> bool:
    """Return True if a file belongs to Python or to an installed package."""
    return any(path.is_relative_to(place) for place in INSTALLED)


class TextLoader(SourceFileLoader):
    """Reads a Python file once, tells it to the ledgers, and runs that very text."""

    def get_code(self, fullname: str) -> CodeType:
        """Return the code of the file's text; no cached code is read or written."""
        path = self.get_filename(fullname)
        data = note(Path(path), self.get_data(path))
        code: CodeType = self.source_to_code(data, path)
        return code


class OnlyText:
    """An import hook: what isn't installed is imported by `TextLoader`, or not at all."""

    def find_spec(self, name: str, path: Sequence[str] | None = None, target: ModuleType | None = None) -> ModuleSpec | None:
        """Return how a module is imported, as all other hooks together would."""
        for hook in sys.meta_path:
            spec: ModuleSpec | None = None if hook is self else hook.find_spec(name, path, target)
            if spec is not None:
                return self.plain(spec)
        return None

    def plain(self, found: ModuleSpec) -> ModuleSpec:
        """Return a module's spec with the loader that it may have."""
        if found.origin is None or not found.has_location:
            return found
        file = Path(os.path.abspath(found.origin))
        if is_installed(file):
            return found
        if file.suffix != ".py" or not file.is_file():
            raise NotApproved(f"{file.name} isn't a Python source file, so it can't be approved")
        found.loader = TextLoader(found.name, str(file))
        found.cached = None
        return found


@contextmanager
def importing_text() -> Iterator[None]:
    """Import what isn't installed afresh within the block, through `OnlyText`."""
    hook: Any = OnlyText()
    aside = {name: module for name, module in sys.modules.items() if is_own(name, module)}
    for name in aside:
        del sys.modules[name]
    sys.meta_path.insert(0, hook)
    try:
        yield
    finally:
        sys.meta_path.remove(hook)
        for name in [name for name, module in sys.modules.items() if is_own(name, module)]:
            del sys.modules[name]
        sys.modules.update(aside)


def is_own(name: str, module: ModuleType) -> bool:
    """Return True if a module comes from a file that isn't installed."""
    file = getattr(module, "__file__", None)
    return name != "__main__" and file is not None and not is_installed(Path(os.path.abspath(file)))
