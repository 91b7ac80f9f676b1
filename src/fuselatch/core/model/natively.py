"""A hint for the compiler about a class. In plain Python it does nothing, and needs no package."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from mypy_extensions import mypyc_attr as mypyc_attr
else:

    def mypyc_attr(**_: Any) -> Any:
        """Return a decorator that leaves a class as it is."""
        return lambda declared: declared
