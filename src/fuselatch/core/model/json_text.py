"""JSON that every reader takes (RFC 8259), on one line or indented, and safe on a terminal."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from math import isfinite
from typing import Any, Final, TypeAlias

Plain: TypeAlias = dict[str, Any]
"""An object of JSON as plain data: its members by name."""
UNSAFE: Final = re.compile("[\x7f-\xa0\xad\u0600-\u0605\u061c\u06dd\u070f\u180e\u2000-\u200f\u2028-\u202f\u205f-\u206f\u3000"
                           "\ufeff\ufff9-\ufffb\U000e0000-\U000e007f]")  # fmt: skip
"""Line ends of `splitlines`, spaces, and control, format and bidirectional characters: escaped, they mean the same."""
HALVES: Final = re.compile("[\ud800-\udfff]")


def json_text(value: object, indent: int | None = None) -> str:
    """Return plain data as JSON.

    Where JSON has no type, it is text; infinity and NaN are null, half a character is U+FFFD.
    """
    try:
        text = json.dumps(value, indent=indent, ensure_ascii=False, allow_nan=False, default=str)
    except ValueError:
        text = json.dumps(finite(value), indent=indent, ensure_ascii=False, default=str)
    if text.isascii():
        return text.replace("\x7f", "\\u007f")
    return UNSAFE.sub(escaped, HALVES.sub("\ufffd", text))


def escaped(found: re.Match[str]) -> str:
    """Return a character as JSON escapes it: by one or two units of UTF-16."""
    return json.dumps(found[0])[1:-1].replace("\x7f", "\\u007f")


def finite(value: object) -> Any:
    """Return plain data without infinity and NaN."""
    if isinstance(value, float):
        return value if isfinite(value) else None
    if isinstance(value, Mapping):
        return {str(key) if isinstance(key, float) else key: finite(one) for key, one in value.items()}
    return [finite(one) for one in value] if isinstance(value, list | tuple) else value
