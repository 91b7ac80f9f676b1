"""Groups: controls with checks, handlers and rules, declared once and used often."""

from __future__ import annotations

from typing import Any, Self, Unpack

from fuselatch.core.forms.collect import FormMeta, collect
from fuselatch.core.forms.container import Container
from fuselatch.core.forms.control_options import ControlOptions
from fuselatch.core.forms.controls import Live
from fuselatch.core.forms.declarations import Declaration, Within
from fuselatch.core.forms.form import Form
from fuselatch.core.forms.live_state import ControlState
from fuselatch.core.forms.rules import Rule
from fuselatch.core.model.errors import NotAllowedHere
from fuselatch.core.model.gestures import Gesture


class GroupDeclaration(Declaration[Live]):
    """The declaration of a group as a whole."""

    kind = "group"
    named = "a group"
    is_group = True
    accepts = frozenset({"remove_line", "move_line"})
    live = Live

    def unfit(self, live: ControlState, gesture: Gesture) -> str:
        return f"'{live.name}' is a group, not a line" if gesture.verb in self.accepts else super().unfit(live, gesture)


class Group(Container, metaclass=FormMeta):
    """A titled section of a form. Derive from it, and declare instances in a form or group.

    `home = Address("Home", visible=lambda form: …)`; its controls are `home.street` and so on. A rule of the group itself
    takes the form (or group) that declares it. Inside the group's class, `self` is the live group and `self.form` its form.
    """

    form: Form

    @classmethod
    def _root(cls) -> type:
        return Group

    def __init__(self, caption: str | Rule[str] = "", **options: Unpack[ControlOptions]) -> None:
        self.__dict__["_declared"] = GroupDeclaration(caption, options)

    def __init_subclass__(cls, **options: object) -> None:
        super().__init_subclass__(**options)
        cls._plan = collect(cls, Group, None, ())

    def __set_name__(self, owner: type, name: str) -> None:
        self.__dict__["_declared"].__set_name__(owner, name)

    def __get__(self, instance: object | None, owner: type) -> Self:
        if instance is not None and instance.__dict__.get("_declared") is not None:
            within: Any = Within(instance, self)
            return within  # type: ignore[no-any-return]
        return self

    @property
    def path(self) -> str:
        """The group's path in its form."""
        declared = self.__dict__.get("_declared")
        path: str = declared.name if declared is not None else self._node.name
        return path

    @property
    def _node(self) -> Live:
        node: Live | None = self.__dict__.get("_live")
        if node is None:
            raise NotAllowedHere(f"group '{self.path}' isn't open")
        return node

    @property
    def caption(self) -> str:
        """The group's caption."""
        return self._node.caption

    @property
    def enabled(self) -> bool:
        """True if the whole group is enabled."""
        return self._node.enabled

    @enabled.setter
    def enabled(self, on: bool) -> None:
        self._node.enabled = on

    @property
    def visible(self) -> bool:
        """True if the group is visible."""
        return self._node.visible

    @visible.setter
    def visible(self, on: bool) -> None:
        self._node.visible = on

    def __repr__(self) -> str:
        return f"<{type(self).__name__} {self.path}>"
