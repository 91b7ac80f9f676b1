"""Read and write one line of JSON Lines (RFC 8259): numbers keep each of their digits."""

from __future__ import annotations

import json
from collections.abc import Sequence
from decimal import Decimal
from typing import NoReturn

from fuselatch.core.model.json_text import Plain
from fuselatch.core.model.values import Value, adapted, short


def object_of(line: bytes) -> Plain:
    """Return a line's object, with decimals as `Decimal`; raise `ValueError`."""
    try:
        data = json.loads(line.decode(), parse_float=Decimal, parse_constant=no_value, object_pairs_hook=once)
    except UnicodeDecodeError:
        raise ValueError("not valid UTF-8; save the file as UTF-8") from None
    except json.JSONDecodeError as error:
        raise ValueError(f"not valid JSON at column {error.colno}: {error.msg}") from None
    if not isinstance(data, dict):
        raise ValueError(f"an object is needed, not {short(data)}")
    return data


def no_value(text: str) -> NoReturn:
    raise ValueError(f"{text} isn't a value of JSON")


def once(pairs: Sequence[tuple[str, Value]]) -> Plain:
    """Return an object. A name that appears twice would lose a value."""
    members = dict(pairs)
    if len(members) < len(pairs):
        names = [name for name, _ in pairs]
        raise ValueError(f"'{next(name for name in names if names.count(name) > 1)}' appears twice")
    return members


def text_of(value: object) -> str:
    """Return a value as JSON: dates and times are texts (ISO 8601)."""
    if isinstance(value, dict):
        return f"{{{', '.join(f'{text_of(name)}: {text_of(one)}' for name, one in value.items())}}}"
    if isinstance(value, list):
        return f"[{', '.join(map(text_of, value))}]"
    if isinstance(value, Decimal):
        return str(value)
    return json.dumps(value, ensure_ascii=False, default=lambda one: adapted(one, str))
