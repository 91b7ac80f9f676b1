"""The Form class: what authors derive their forms from."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Any, ClassVar, ParamSpec, dataclass_transform

from fuselatch.core.forms.collect import Namespace, collect
from fuselatch.core.forms.controls import Live
from fuselatch.core.forms.params import Param
from fuselatch.core.forms.plans import FormPlan
from fuselatch.core.forms.port import EnginePort, SessionView
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.forms.sources import FormEvent
from fuselatch.core.forms.state import FormState
from fuselatch.core.model.errors import DeclarationError, FormClosed, NotAllowedHere
from fuselatch.core.model.names import suggest
from fuselatch.core.model.outcome import Outcome

P = ParamSpec("P")


class FormMeta(type):
    """Watches the class body for names declared twice, and collects the class once it is made."""

    @classmethod
    def __prepare__(cls, name: str, bases: tuple[type, ...], /, **kwargs: Any) -> Namespace:
        return Namespace(name)


@dataclass_transform(kw_only_default=True, field_specifiers=(Param,))
class Form(metaclass=FormMeta):
    """A form: controls, rules, checks, prompts and handlers, declared in a class body.

    `class BookingForm(Form, title="Book a berth")`; without a title the class's name gives one.
    A form is opened by a session, by `rehearse`, or by another form's `open`, never called.
    """

    _state: FormState
    _plan: ClassVar[FormPlan]

    opened = FormEvent()
    accepting = FormEvent()
    submitted = FormEvent()
    closing = FormEvent()
    closed = FormEvent()

    warnings_prompt = Prompt("{warnings}", title="Please look again", buttons=("Go on", "Go back"), tone="warning")
    """What is asked before a form with warnings is accepted; `{warnings}` lists them."""

    def __init_subclass__(cls, *, title: str | None = None, **options: Any) -> None:
        for option in options:
            hint = suggest(option, ("title",))
            raise DeclarationError(f"class {cls.__name__}: there is no class option '{option}'; {hint}")
        super().__init_subclass__()
        cls._plan = collect(cls, Form, title)

    if not TYPE_CHECKING:

        def __init__(self, *args: object, **params: object) -> None:
            name = type(self).__name__
            raise NotAllowedHere(
                f"{name} is opened, not called: self.open({name}, …), rehearse({name}, …) or Session({name})"
            )

    @property
    def session(self) -> SessionView:
        """The session that the form is open in: its user and clock."""
        return self._engine

    @property
    def title(self) -> str:
        """What people call the form."""
        return self._state.plan.title

    @property
    def is_open(self) -> bool:
        """Whether the form has not been closed yet."""
        return self._state.phase != "closed"

    @property
    def _engine(self) -> EnginePort:
        engine: EnginePort = self.__dict__["_engine_"]
        return engine

    def ask(self, prompt: Prompt | str, *, buttons: tuple[str, ...] = ("OK", "Cancel"), **facts: object) -> str:
        """Put a question and wait for the answer: the pressed button's caption.

        Takes a declared prompt, or a text with `buttons`; `facts` fill the names in braces that
        are no controls.
        """
        return self._engine.ask(self, prompt if isinstance(prompt, Prompt) else Prompt(prompt, buttons=buttons), facts)

    def confirm(self, text: str, *, default: bool = False, **facts: object) -> bool:
        """Put a yes-or-no question and wait; True where the answer is yes."""
        prompt = Prompt(text, buttons=("Yes", "No"), default="Yes" if default else "No", cancel="No")
        return self._engine.ask(self, prompt, facts) == "Yes"

    def tell(self, text: str, **facts: object) -> None:
        """Tell something and wait until it has been read."""
        self._engine.ask(self, Prompt(text, buttons=("OK",), tone="plain"), facts)

    def open(self, form: Callable[P, Form], /, *args: P.args, **params: P.kwargs) -> Outcome:
        """Open a dialog in front of this form and wait until it closes.

        Takes a form class and its params by name; gives its `Outcome`.
        """
        if not (isinstance(form, type) and issubclass(form, Form)):
            raise TypeError(f"open(…) takes a form class, not {form!r}")
        if args:
            raise TypeError(
                f"open({form.__name__}, …) takes params by name: {', '.join(form._plan.params) or 'it has none'}"
            )
        return self._engine.open(self, form, params)

    def __setattr__(self, name: str, value: object) -> None:
        state = self.__dict__.get("_state")
        if state is None:
            object.__setattr__(self, name, value)
            return
        kind = type(self).__name__
        if name in state.plan.controls:
            raise AttributeError(f"{kind}.{name} is a control; set {name}.value, or another property of it")
        if name in state.plan.params:
            raise AttributeError(f"{kind}.{name} is a param, fixed when the form opened; keep what changes elsewhere")
        if (name.startswith("_") and name.endswith("_")) or hasattr(Form, name):
            raise AttributeError(f"{kind}.{name} is Form's own and can't be set")
        if state.phase == "closed":
            raise FormClosed(f"{kind}.{name} can't be set: the form is closed; its values can still be read")
        self._engine.set_attribute(self, name, value)

    def __repr__(self) -> str:
        state = self.__dict__.get("_state")
        return f"<{state.name} {state.phase}>" if state is not None else f"<{type(self).__name__}>"


def controls_of(form: Form) -> Mapping[str, Live]:
    """The live controls of an open (or closed) form by path, in tab order."""
    return form._state.controls


def plan_of(form: type[Form]) -> FormPlan:
    """What a form class declares."""
    return form._plan


def name_of(form: Form) -> str:
    """What a form is called in the trace: its class, with a number from the second of a class on."""
    return form._state.name


def make(form: type[Form], engine: EnginePort, opener: Form | None, serial: int, name: str) -> Form:
    """A form of a class, with its live controls, not opened yet."""
    made: Form = object.__new__(form)
    plan = form._plan
    state = FormState(made, plan, opener, serial, name)
    members = made.__dict__
    members["_engine_"] = engine
    members["_state"] = state
    controls = state.controls
    for path, control in plan.controls.items():
        members[path] = controls[path] = control.decl.live(made, made, control, engine)
    state.order = list(controls.values())
    return made
