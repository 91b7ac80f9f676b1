"""Known faults: those that are accepted, with a reason, in a TOML file."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import Final

from fuselatch.core.model.errors import FuseLatchError
from fuselatch.core.model.values import short

HINT: Final = 'write, for each, [[known]] with fault = "…" (its key) and reason = "…"'


class KnownError(FuseLatchError, ValueError):
    """A file of known faults can't be read. The message names the file and what is wrong."""


def read_known(path: Path) -> Mapping[str, str]:
    """Return the reasons of the faults that a file accepts, by key. Raises `KnownError` and `OSError`."""
    try:
        data = tomllib.loads(path.read_text(encoding="utf-8-sig"))
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise KnownError(f"{path}: {error}; {HINT}") from None
    known = data.pop("known", [])
    if data or not isinstance(known, list):
        raise KnownError(f"{path}: unknown '{next(iter(data), 'known')}'; {HINT}")
    reasons: dict[str, str] = {}
    for at, one in enumerate(known, 1):
        if not isinstance(one, dict) or set(one) != {"fault", "reason"}:
            raise KnownError(f"{path}: entry {at}: {short(one)}; {HINT}")
        fault, reason = one["fault"], one["reason"]
        if not (isinstance(fault, str) and fault and isinstance(reason, str) and reason.strip()):
            raise KnownError(f"{path}: entry {at}: fault and reason must be texts that aren't blank")
        reasons[fault] = reason
    return reasons
