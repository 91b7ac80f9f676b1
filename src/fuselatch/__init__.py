"""Fuse Latch: declare a form in plain Python, rehearse it without a screen, see why each thing happened."""

from importlib import import_module
from typing import TYPE_CHECKING

__version__ = "0.1.0"

if TYPE_CHECKING:
    from fuselatch.public import *  # noqa: F403 - the module says what is public
else:
    # Loaded on first use, so that `--help` answers without loading the engine.

    def __getattr__(name: str) -> object:
        if name.startswith("__") and name != "__all__":
            raise AttributeError(name)
        public = import_module("fuselatch.public")

        try:
            found = getattr(public, name)
        except AttributeError:
            from fuselatch.core.model.names import suggest

            hint = suggest(name, public.__all__)
            raise AttributeError(f"module 'fuselatch' has no '{name}'; {hint}") from None
        globals()[name] = found
        return found

    def __dir__() -> list[str]:
        public = import_module("fuselatch.public")

        return [*globals(), *public.__all__]
