"""Scenes: a form with all that it is opened with, given by a function beside the forms."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import datetime
from typing import Any, Final

from fuselatch.core.engine.store import Store
from fuselatch.core.forms.form import Form
from fuselatch.stores.memory import MemoryRecords

NOW: Final = datetime(2031, 5, 4, 9, 30)
"""What the clock of a rehearsal reads where nothing else is said."""


class Scene:
    """A form to open: its class, `user`, what the clock reads (`now`), `locale`, `records`, and its params by name.

    `records` is a store, or rows by the name of their source, kept in memory. A scene function
    takes nothing and returns one: `def quiet_monday() -> Scene: …`.
    """

    __slots__ = ("form", "locale", "now", "params", "records", "user")

    def __init__(
        self,
        form: type[Form],
        *,
        user: str = "",
        now: datetime = NOW,
        locale: str = "en",
        records: Store | Mapping[str, Iterable[Mapping[str, Any]]] | None = None,
        **params: Any,
    ) -> None:
        if not (isinstance(form, type) and issubclass(form, Form)):
            raise TypeError(f"Scene(…) takes a form class first, not {form!r}")
        self.form = form
        self.user = user
        self.now = now
        self.locale = locale
        self.records: Store | None = MemoryRecords(records) if isinstance(records, Mapping) else records
        self.params = params

    def __repr__(self) -> str:
        return f"Scene({self.form.__name__}, user={self.user!r}, now={self.now.isoformat()})"
