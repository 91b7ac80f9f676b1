"""Params: the values that a form is opened with."""

from __future__ import annotations

from typing import Any, Literal

from fuselatch.core.model.values import Value


class MISSING:
    """The default of a param that has none."""


class ParamDeclaration:
    """The object that `Param` leaves in the class body."""

    __slots__ = ("default", "name")

    def __init__(self, default: Value) -> None:
        self.default = default
        self.name = ""

    def __set_name__(self, owner: type, name: str) -> None:
        self.name = self.name or name


def Param(*, default: object = MISSING) -> Any:
    """Declare a parameter of a form: `tariff: Tariff = Param()`.

    It is passed uncopied and can't change after the form opens. Without `default`, it is required.
    """
    return ParamDeclaration(default)


class OpenerDeclaration:
    """The object that `Opener` leaves in the class body."""

    __slots__ = ()


def Opener(*, init: Literal[False] = False) -> Any:
    """Declare the form that opened this one: `opener: "BookingForm" = Opener()`.

    It is None if no form opened this one. `init` is for type checkers.
    """
    return OpenerDeclaration()
