"""Forms that the user can open by name or shortcut."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import NamedTuple, TypeAlias

from fuselatch.core.forms.form import Form, plan_of
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.values import Value

Offered: TypeAlias = Iterable[type[Form]] | Mapping[type[Form], Mapping[str, object]]
"""Form classes, or a mapping of form classes to the parameters they open with."""


class Offer(NamedTuple):
    """A form that can be opened by name, and its parameters."""

    form: type[Form]
    params: Mapping[str, Value]


class Offers:
    """The offered forms by name, and their shortcuts. Raises `DeclarationError` for clashes."""

    __slots__ = ("by_name", "shortcuts", "start")

    def __init__(self, forms: Offered) -> None:
        given: Mapping[type[Form], Mapping[str, object]] = (
            forms if isinstance(forms, Mapping) else {form: {} for form in forms}
        )
        self.by_name: dict[str, Offer] = {}
        self.shortcuts: dict[str, str] = {}
        self.start: Offer | None = None
        for form, params in given.items():
            plan = plan_of(form)
            if plan.name in self.by_name:
                raise DeclarationError(f"two forms are named {plan.name}; rename one")
            offer = self.by_name[plan.name] = Offer(form, params)
            if plan.keys:
                self._claim(plan.keys, plan.name)
            if plan.at_start and self.start is not None:
                raise DeclarationError(
                    f"{plan.name} and {plan_of(self.start.form).name} both have at_start=True; keep only one"
                )
            self.start = offer if plan.at_start else self.start
        for offer in self.by_name.values():
            self.look_at(offer.form)

    def has(self, form: type) -> bool:
        """Return True if a form can be opened by name."""
        return any(offer.form is form for offer in self.by_name.values())

    def _claim(self, keys: str, name: str) -> None:
        other = self.shortcuts.setdefault(keys, name)
        if other != name:
            raise DeclarationError(f"shortcut {keys} opens both {other} and {name}; change one")

    def look_at(self, form: type[Form]) -> None:
        """Refuse a form whose own shortcut also opens a form."""
        plan = plan_of(form)
        for keys, path in plan.shortcuts.items():
            if keys in self.shortcuts:
                opened = self.shortcuts[keys]
                raise DeclarationError(f"shortcut {keys} opens {opened} and is also used by {plan.name}.{path}; change one")
