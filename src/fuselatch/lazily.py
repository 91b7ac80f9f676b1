"""Packages whose public names are imported on first use, so that `--help` answers without loading the engine."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from importlib import import_module
from importlib.util import find_spec

from fuselatch.core.model.names import NoSuchName, suggest

ELSEWHERE = (
    "fuselatch",
    "fuselatch.frontends",
    "fuselatch.stores",
    "fuselatch.services",
    "fuselatch.scenes",
    "fuselatch.policy",
    "fuselatch.kinds",
    "fuselatch.rehearsal",
    "fuselatch.exploring",
)
"""The packages with public names. A name that one doesn't have may be in another."""


def lazily(
    package: str, where: Mapping[str, tuple[str, ...]], extras: Mapping[str, str] | None = None
) -> tuple[Callable[[str], object], Callable[[], list[str]]]:
    """Return a package's `__getattr__` and `__dir__`.

    `where`: the module of each public name. `extras`: the package that a module needs, if an extra installs it; without it,
    `from … import *` and `help` leave the module's names out.
    """
    names = {name: module for module, members in where.items() for name in members}

    def offered() -> list[str]:
        missing = {module for module, needed in (extras or {}).items() if find_spec(needed) is None}
        return [name for name, module in names.items() if module not in missing]

    def get(name: str) -> object:
        if name == "__all__":
            return offered()
        if name.startswith("__"):
            raise AttributeError(name)
        module = names.get(name)
        if module is None:
            # Worked out only when it is read: `from fuselatch import stores` asks here before it imports the module.
            raise NoSuchName(lambda: f"module '{package}' has no '{name}'; {hint(package, name, names)}")
        return getattr(import_module(module), name)

    return get, offered


def hint(package: str, name: str, names: Mapping[str, str]) -> str:
    """Return where a name is, or the closest one."""
    for other in ELSEWHERE:
        if other != package and name in import_module(other).__all__:
            return f"it is in {other}"
    return suggest(name, names)
