"""Params: what a form is opened with."""

from __future__ import annotations

from typing import Any, Literal


class MISSING:
    """Stands for a default that was not given."""


class ParamDeclaration:
    """What `Param` leaves in the class body: its `name`, and its `default` or `MISSING`."""

    __slots__ = ("default", "name")

    def __init__(self, default: Any) -> None:
        self.default = default
        self.name = ""

    def __set_name__(self, owner: type, name: str) -> None:
        self.name = self.name or name


def Param(*, default: Any = MISSING) -> Any:
    """Something that a form is opened with: `tariff: Tariff = Param()`.

    It is handed over uncopied and is fixed after opening. Without a `default` it must be given.
    """
    return ParamDeclaration(default)


class OpenerDeclaration:
    """What `Opener` leaves in the class body."""

    __slots__ = ()


def Opener(*, init: Literal[False] = False) -> Any:
    """The form that opened this one, read live: `opener: "BookingForm" = Opener()`.

    It is None for a form that no other has opened. `init` is for checkers: it is no param.
    """
    return OpenerDeclaration()
