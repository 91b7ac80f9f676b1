"""Scenes: a form with all that it is opened with, given by a function beside the forms."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Final

from fuselatch.core.forms.form import Form

NOW: Final = datetime(2031, 5, 4, 9, 30)
"""What the clock of a rehearsal reads where nothing else is said."""


class Scene:
    """A form to open: its class, `user`, what the clock reads (`now`), and its params by name.

    A scene function takes nothing and returns one: `def quiet_monday() -> Scene: …`.
    """

    __slots__ = ("form", "now", "params", "user")

    def __init__(self, form: type[Form], *, user: str = "", now: datetime = NOW, **params: Any) -> None:
        if not (isinstance(form, type) and issubclass(form, Form)):
            raise TypeError(f"Scene(…) takes a form class first, not {form!r}")
        self.form = form
        self.user = user
        self.now = now
        self.params = params

    def __repr__(self) -> str:
        return f"Scene({self.form.__name__}, user={self.user!r}, now={self.now.isoformat()})"
