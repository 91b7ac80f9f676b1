"""Pictures that labels show."""

from __future__ import annotations

from hashlib import sha256
from typing import Final

from fuselatch.core.model.values import short

BEGINNINGS: Final = (
    (b"\x89PNG\r\n\x1a\n", "image/png"),
    (b"\xff\xd8\xff", "image/jpeg"),
    (b"GIF8", "image/gif"),
    (b"<svg", "image/svg+xml"),
    (b"<?xml", "image/svg+xml"),
)
"""How files of each kind begin. Their names don't count."""
LARGEST: Final = 4 * 1024 * 1024
"""The largest picture, in bytes."""


class Picture:
    """A picture for a label: `Picture(Path("quay.png").read_bytes())`.

    `data`: a PNG, JPEG, GIF or SVG file, as bytes, of at most 4 MB. Raises `TypeError`, `ValueError`.
    """

    __slots__ = ("data", "id", "kind")

    def __init__(self, data: bytes) -> None:
        if not isinstance(data, bytes):
            raise TypeError(f"Picture(…): expected bytes, as Path.read_bytes() returns them, not {short(data)}")
        if len(data) > LARGEST:
            raise ValueError(f"a picture of {len(data):,} bytes; the most is {LARGEST:,}")
        kind = next((kind for begins, kind in BEGINNINGS if data.lstrip().startswith(begins)), None)
        if kind is None:
            raise ValueError("not a picture that can be shown; give a PNG, JPEG, GIF or SVG file")
        self.data = data
        self.kind = kind
        """Its media type."""
        self.id = sha256(data).hexdigest()[:16]
        """The same for equal pictures."""

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Picture) and other.id == self.id

    def __hash__(self) -> int:
        return hash(self.id)

    def __str__(self) -> str:
        return f"{self.kind} {self.id[:6]}, {len(self.data):,} bytes"

    def __repr__(self) -> str:
        return f"<Picture {self}>"
