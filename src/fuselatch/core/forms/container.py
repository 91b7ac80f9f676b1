"""The common base of forms and groups: plain attributes that can be undone; and what the engine knows of an open form."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar

from fuselatch.core.forms.latch import Latch
from fuselatch.core.forms.plans import FormPlan
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.model.errors import FormClosed, RuleError
from fuselatch.core.model.events import FORM_EVENTS
from fuselatch.core.model.names import NoSuchName, suggest

if TYPE_CHECKING:
    from fuselatch.core.forms.live_state import FormState
    from fuselatch.core.forms.port import EnginePort


class Container:
    """A form or a group. If a gesture fails, attributes set by its handlers are undone."""

    _state: FormState
    _plan: ClassVar[FormPlan]

    @classmethod
    def _root(cls) -> type:
        """The class whose names can't be used."""
        raise NotImplementedError

    @property
    def _engine(self) -> EnginePort:
        return self._state.engine

    if not TYPE_CHECKING:

        def __getattr__(self, name: str) -> Any:
            # Called only for unknown names, to suggest the closest one of the class.
            state = self.__dict__.get("_state")
            plan = getattr(type(self), "_plan", None)
            if state is None or plan is None or name.startswith("_"):
                raise AttributeError(f"{type(self).__name__} has no '{name}'")
            kind = type(self).__name__
            raise NoSuchName(lambda: f"{kind} has no '{name}'; {suggest(name, [*plan.controls, *plan.groups])}")

    def __setattr__(self, name: str, value: object) -> None:
        state = self.__dict__.get("_state")
        if state is None:
            object.__setattr__(self, name, value)
            return
        kind, plan = type(self).__name__, type(self)._plan
        own: Any = getattr(type(self), name, None)
        if isinstance(own, property) and own.fset is not None:
            own.fset(self, value)
        elif name in plan.controls or name in plan.groups:
            raise AttributeError(f"{kind}.{name} is a control; set {name}.value or another property")
        elif isinstance(own, Latch):
            raise AttributeError(f"{kind}.{name} is a latch; use self.{name}.set()")
        elif name in plan.custom_events:
            raise AttributeError(f"{kind}.{name} is a custom event; use self.{name}.send(…)")
        elif name in plan.params or name == plan.opener:
            raise AttributeError(
                f"{kind}.{name} is a parameter and can't change after the form opens; use a control or a Shared"
            )
        elif name in RESERVED_ATTRIBUTES or (hasattr(self._root(), name) and name not in FORM_EVENTS):
            raise AttributeError(f"{kind}.{name} is used by Form and can't be set")
        elif name in plan.rule_names:
            raise RuleError(
                f"{kind}.{name} is read by a rule, but rules don't notice plain attributes; "
                "use a control or a Shared (or rename it and call self.refresh())"
            )
        elif state.phase == "closed":
            raise FormClosed(f"{kind}.{name} can't be set: the form is closed (you can still read it)")
        else:
            state.engine.set_attribute(self, name, value)

    def __delattr__(self, name: str) -> None:
        """Delete a plain attribute, so that it can be undone."""
        kind, plan = type(self).__name__, type(self)._plan
        if name not in self.__dict__:
            raise AttributeError(f"{kind} has no '{name}' of its own")
        declared = name in plan.controls or name in plan.groups or name in plan.params or name == plan.opener
        if declared or name in RESERVED_ATTRIBUTES or name.startswith("_"):
            raise AttributeError(f"{kind}.{name} is part of the form and can't be deleted")
        self._state.engine.delete_attribute(self, name)


RESERVED_ATTRIBUTES = frozenset({"_state", "_live", "_declared", "form"})


class OpenForm(Container):
    """An open form, as the engine and live controls know it. `Form` adds what handlers use."""

    warnings_prompt: ClassVar[Prompt]
    other_prompt: ClassVar[Prompt]
    failure_text: ClassVar[str]

    @property
    def title(self) -> str:
        """The form's title."""
        state = self._state
        text: str = state._current("title")
        if state.engine.tracker is not None:
            state.engine.tracker[(state, "title")] = text
        return text

    @property
    def is_open(self) -> bool:
        """True until the form is closed."""
        return self._state.phase != "closed"

    def __repr__(self) -> str:
        state = self.__dict__.get("_state")
        return f"<{state.name} {state.phase}>" if state is not None else f"<{type(self).__name__}>"
