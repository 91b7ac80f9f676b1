"""Packages that only some reports need."""

from __future__ import annotations

from importlib.util import find_spec


class MissingPackage(ImportError):
    """A package isn't installed. The message says how to install it."""


def must_have(what: str, extra: str, *packages: str) -> None:
    """Raise `MissingPackage` if a package is missing. `extra`: the extra that installs it."""
    missing = [package for package in packages if find_spec(package) is None]
    if missing:
        named = " and ".join(missing)
        raise MissingPackage(f"{what} needs {named}; run: pip install 'fuse-latch[{extra}]'")
