"""Packages that only some of the reports need."""

from __future__ import annotations

from importlib.util import find_spec


class MissingPackage(ImportError):
    """A package is not installed; its text says how to get it."""


def must_have(what: str, extra: str, *packages: str) -> None:
    """Raise `MissingPackage` where one of some packages is missing; `extra` is what to install the library with."""
    missing = [package for package in packages if find_spec(package) is None]
    if missing:
        named = " and ".join(missing)
        raise MissingPackage(f"{what} needs {named}; run: pip install 'fuse-latch[{extra}]'")
