"""The Form class: what authors derive their forms from."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from copy import copy
from types import new_class
from typing import TYPE_CHECKING, Any, ClassVar, Literal, ParamSpec, TypeVar, dataclass_transform, get_args

from fuselatch.core.forms.collect import FormMeta, collect
from fuselatch.core.forms.container import Container
from fuselatch.core.forms.controls import Live
from fuselatch.core.forms.declarations import Button, Entry, Label
from fuselatch.core.forms.lines import put_in_place
from fuselatch.core.forms.params import Opener, Param
from fuselatch.core.forms.plans import FormPlan
from fuselatch.core.forms.port import EnginePort, RecordsPort, SessionView
from fuselatch.core.forms.prompts import OK_CANCEL, TONES, Prompt, Tone
from fuselatch.core.forms.rules import Rule
from fuselatch.core.forms.sources import FormEvent
from fuselatch.core.forms.state import FormState, Manner, Place
from fuselatch.core.model.errors import DeclarationError, NotAllowedHere
from fuselatch.core.model.findings import Override
from fuselatch.core.model.keys import normal
from fuselatch.core.model.names import suggest
from fuselatch.core.model.outcome import CANCELLED, Outcome
from fuselatch.core.model.texts import TEXTS, user_text
from fuselatch.core.model.values import text_for

P = ParamSpec("P")
F = TypeVar("F", bound="Form")
R = TypeVar("R")


@dataclass_transform(kw_only_default=True, field_specifiers=(Param, Opener))
class Form(Container, metaclass=FormMeta):
    """A form: controls, rules, checks, prompts and handlers, declared in a class body.

    `class BookingForm(Form, title="Book a berth")`; without a title the class's name gives one, and a
    title may be a rule. `without=("port",)` leaves inherited controls out; `confirm_discard="…"` is
    asked when a form is left in which something was changed. `records="scores"` binds it to a record source, and
    `on_leave="ask"` asks before a changed record is left, which else is saved. `keys="Ctrl+R"` opens it from anywhere in
    a session that offers it, `at_start=True` opens it when that session begins. A form is opened by a session, by
    `rehearse`, or by another form, never called.
    """

    _is_root: ClassVar[bool] = True

    opened = FormEvent()
    clicked = FormEvent()
    double_clicked = FormEvent()
    brought_to_front = FormEvent()
    record_shown = FormEvent()
    accepting = FormEvent()
    submitted = FormEvent()
    closing = FormEvent()
    closed = FormEvent()

    warnings_prompt = Prompt(
        "{warnings}",
        title=TEXTS["warnings.title"],
        buttons=(TEXTS["warnings.go_on"], TEXTS["warnings.go_back"]),
        tone="warning",
    )
    """What is asked before a form with warnings is accepted; `{warnings}` lists them."""

    other_prompt = Prompt(user_text("other"), title=TEXTS["other.title"], buttons=(TEXTS["other.add"], TEXTS["other.once"]))
    """What is asked when a text settles in a choice with `other=True` that its list does not have."""

    def __init_subclass__(
        cls,
        *,
        title: str | Rule[str] | None = None,
        without: tuple[str, ...] = (),
        confirm_discard: str = "",
        keys: str = "",
        at_start: bool = False,
        records: str | None = None,
        on_leave: Literal["save", "ask"] = "save",
        **options: Any,
    ) -> None:
        for option in options:
            hint = suggest(option, ("title", "without", "confirm_discard", "keys", "at_start", "records", "on_leave"))
            raise DeclarationError(f"class {cls.__name__}: unknown option '{option}'; {hint}")
        super().__init_subclass__()
        cls._plan = collect(cls, Form, title, without, confirm_discard)
        cls._plan.at_start = at_start
        cls._plan.records = bound_to(cls) if records is None else records
        cls._plan.on_leave = on_leave
        kept = [path for path, placed in cls._plan.controls.items() if getattr(placed.decl, "records", "")]
        if kept and not cls._plan.records:
            raise DeclarationError(f"class {cls.__name__}: {kept[0]}: Lines with records= need a form with records=")
        if on_leave not in ("save", "ask"):
            raise DeclarationError(f"class {cls.__name__}: on_leave must be 'save' or 'ask', not {on_leave!r}")
        try:
            cls._plan.keys = normal(keys) if keys else ""
        except ValueError as error:
            raise DeclarationError(f"class {cls.__name__}: keys: {error}") from None

    if not TYPE_CHECKING:

        def __init__(self, *args: object, **params: object) -> None:
            name = type(self).__name__
            raise NotAllowedHere(
                f"{name} can't be created directly; use self.open({name}, …), rehearse({name}, …) or Session({name})"
            )

    @classmethod
    def _root(cls) -> type:
        return Form

    @property
    def session(self) -> SessionView:
        """The session that the form is open in: its user and clock, and the other open forms."""
        found: SessionView = self._engine.session
        return found

    @property
    def title(self) -> str:
        """What people call the form."""
        state = self._state
        found: str = state._current("title")
        if state.engine.tracker is not None:
            state.engine.tracker[(state, "title")] = found
        return found

    @property
    def is_open(self) -> bool:
        """Whether the form has not been closed yet."""
        return self._state.phase != "closed"

    def ask(self, prompt: Prompt | str, *, buttons: tuple[str, ...] = OK_CANCEL, **facts: object) -> str:
        """Put a question and wait for the answer: the pressed button's caption.

        Takes a declared prompt, or a text with `buttons`; `facts` fill the names in braces that
        are no controls.
        """
        return self._engine.ask(self, prompt if isinstance(prompt, Prompt) else Prompt(prompt, buttons=buttons), facts)

    def confirm(self, text: str, *, default: bool = False, **facts: object) -> bool:
        """Put a yes-or-no question and wait; True where the answer is yes."""
        yes, no = TEXTS["yes"], TEXTS["no"]
        prompt = Prompt(text, buttons=(yes, no), default=yes if default else no, cancel=no)
        return self._engine.ask(self, prompt, facts) == yes

    def inform(self, text: str, **facts: object) -> None:
        """Tell something and wait until it has been read."""
        self._engine.ask(self, Prompt(text, buttons=(TEXTS["ok"],), tone="plain"), facts)

    def ask_value(self, entry: Entry[Any, R, Any], *, text: str = "", title: str = "") -> R | None:
        """Ask for one typed value: `self.ask_value(Text("State", required=True))`.

        Takes a declared control, whose rules and checks hold; `text` stands above it, and `title` is
        its caption where none is given. Gives the value, or None where it was cancelled.
        """
        outcome = self.open(value_form(entry, text, title))
        value: R | None = outcome.values["value"] if outcome.accepted else None
        return value

    @property
    def records(self) -> RecordsPort:
        """The records that the form is bound to; `NotAllowedHere` where it is bound to none."""
        records: RecordsPort | None = self._state.records
        if records is None:
            raise NotAllowedHere(
                f"{type(self).__name__} isn't bound to records; write class {type(self).__name__}(Form, records=…)"
            )
        return records

    @property
    def overrides(self) -> tuple[Override, ...]:
        """The warnings that a person went on in spite of, so far: which, on what control, who and when."""
        return self._state.overrides

    def say(self, text: str, *, tone: Tone = "plain") -> None:
        """Put a line on the form's message area; never waits."""
        if tone not in TONES:
            raise ValueError(f"say(…): unknown tone '{tone}'; {suggest(str(tone), TONES)}")
        self._engine.say(self, text_for("say(…)", text), tone)

    def open(
        self,
        form: Callable[P, Form],
        /,
        hiding: bool = False,
        place: Place = "over",
        at: Any = None,
        only: Mapping[str, Any] | None = None,
        *args: P.args,
        **params: P.kwargs,
    ) -> Outcome:
        """Open a dialog in front of this form and wait until it closes.

        Takes a form class and its params by name; gives its `Outcome`. With `hiding=True` this form is
        hidden meanwhile, and comes back where it was, however the dialog ends; `place="beside"` keeps
        the two from overlapping. One that is bound to records opens `at` a key, `host_selection()` or `first_blank(…)`, and with
        `only={"pier": "North"}` has the rows with these values, and fresh ones that begin with them.
        """
        return self._engine.open(self, *_opening("open", form, args, params, Manner(hiding, place, True, at, only)))

    def show(
        self,
        form: Callable[P, F],
        /,
        hiding: bool = False,
        place: Place = "over",
        at: Any = None,
        only: Mapping[str, Any] | None = None,
        *args: P.args,
        **params: P.kwargs,
    ) -> F:
        """Open a form that stays open beside this one; it is ready when this returns, and outlives this one.

        Takes a form class and its params by name, and the options of `open`; gives the open form.
        """
        shown: Any = self._engine.show(self, *_opening("show", form, args, params, Manner(hiding, place, False, at, only)))
        return shown  # type: ignore[no-any-return]

    def hide(self) -> None:
        """Take the form out of sight; it stays open with all that it holds, until `unhide`."""
        self._engine.hide(self, True)

    def unhide(self) -> None:
        """Bring a hidden form back where it was."""
        self._engine.hide(self, False)

    def close(self, verdict: str = CANCELLED) -> None:
        """Close the form: "accepted" submits it, anything else is the free way out.

        Asked for in a handler, that is a step after it.
        """
        self._engine.close_form(self, text_for("close(…)", verdict))

    def set_title(self, title: str) -> None:
        """Give the form another title."""
        self._engine.set_title(self, text_for("set_title(…)", title))

    def refresh(self) -> None:
        """Have every rule of the form run again, because something changed that is not tracked."""
        self._engine.refresh(self)

    def afterwards(self, function: Callable[..., object], *args: object) -> None:
        """Have an outward effect happen once all is settled and written: `function(*args)`, in order."""
        self._engine.afterwards(self, function, args)

    def __repr__(self) -> str:
        state = self.__dict__.get("_state")
        return f"<{state.name} {state.phase}>" if state is not None else f"<{type(self).__name__}>"


def bound_to(form: type[Form]) -> str:
    """The source that a base class is bound to, or ""."""
    return next((vars(base)["_plan"].records for base in form.__mro__[1:] if "_plan" in vars(base)), "")


def value_form(entry: Any, text: str, title: str) -> type[Form]:
    """A dialog with one control of a declared kind, named `value`."""
    if not isinstance(entry, Entry):
        raise TypeError(f"ask_value(…): expected a declared control such as Text('State'), not {entry!r}")
    asked = copy(entry)
    asked.name = ""
    caption = asked.constants.get("caption", "")
    members: dict[str, Any] = {"note": Label(value=text)} if text else {}
    members |= {
        "value": asked,
        "ok": Button(TEXTS["ok"], closes="accepted", keys="Enter"),
        "cancel": Button(TEXTS["cancel"], closes="cancelled"),
    }
    options = {"title": title or caption or TEXTS["value"]}
    return new_class("AskValue", (Form,), options, lambda body: body.update({**members, "__module__": __name__}))


def _opening(
    verb: str, form: Any, args: tuple[object, ...], params: Mapping[str, Any], how: Manner
) -> tuple[type[Form], Mapping[str, Any], Manner]:
    """What was handed over, where it is a form class with options; a `TypeError` for anything else."""
    if not (isinstance(form, type) and issubclass(form, Form)):
        raise TypeError(f"{verb}(…): expected a form class, not {form!r}")
    if args or not isinstance(how.hiding, bool):
        raise TypeError(
            f"{verb}({form.__name__}, …): pass parameters by name: {', '.join(form._plan.params) or 'it has none'}"
        )
    if how.place not in get_args(Place):
        raise TypeError(f"{verb}({form.__name__}, …): unknown place {how.place!r}; {suggest(how.place, get_args(Place))}")
    if (how.at is not None or how.only) and not form._plan.records:
        raise TypeError(f"{verb}({form.__name__}, …): at= and only= need a form with records=")
    return form, params, how


def controls_of(form: Form) -> Mapping[str, Live]:
    """The live controls of an open (or closed) form by path, in tab order."""
    state = form._state
    return {control.name: control for control in state.order} if state.lines else state.controls


def plan_of(form: type[Form]) -> FormPlan:
    """What a form class declares."""
    return form._plan


def name_of(form: Form) -> str:
    """What a form is called in the trace: its class, with a number from the second of a class on."""
    return form._state.name


def make(form: type[Form], plan: FormPlan, engine: EnginePort, opener: Form | None, serial: int, name: str) -> Form:
    """A form of a class as a plan has it, with its live groups and controls, not opened yet."""
    made: Form = object.__new__(form)
    state = FormState(made, plan, engine, opener, serial, name)
    members = made.__dict__
    members["_state"] = state
    if plan.opener:
        members[plan.opener] = opener
    put_in_place(state, plan.groups, plan.containers, plan.controls)
    state.order = list(state.controls.values())
    state.lines = [control for control in state.order if control._plan.decl.kind == "lines"] if plan.has_lines else []
    return made
