"""The Form class."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Any, ClassVar, ParamSpec, TypeVar, Unpack, dataclass_transform

from fuselatch.core.forms.attaching import FormEvent
from fuselatch.core.forms.collect import FormMeta, collect
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.controls import Live
from fuselatch.core.forms.form_options import FormOptions, bound_to, check_options, must_need_no_records, shortcut
from fuselatch.core.forms.inputs import InputControl
from fuselatch.core.forms.manner import PLACES, Manner, Place
from fuselatch.core.forms.params import Opener, Param
from fuselatch.core.forms.plans import FormPlan
from fuselatch.core.forms.port import FormRecords, HandlerSession
from fuselatch.core.forms.prompts import OK_CANCEL, TONES, Answer, Prompt, Tone
from fuselatch.core.model.errors import NotAllowedHere
from fuselatch.core.model.findings import Override
from fuselatch.core.model.names import suggest
from fuselatch.core.model.outcome import CANCELLED, Outcome
from fuselatch.core.model.texts import later
from fuselatch.core.model.values import Value, short, text_for

P = ParamSpec("P")
F = TypeVar("F", bound="Form")
R = TypeVar("R")
T = TypeVar("T")


class FormKind(FormMeta):
    """The class of form classes. Events are here, and not on `Form`: a form may use their names for its own controls."""

    opened = FormEvent()
    clicked = FormEvent()
    double_clicked = FormEvent()
    brought_to_front = FormEvent()
    record_shown = FormEvent()
    restarted = FormEvent()
    accepting = FormEvent()
    submitted = FormEvent()
    closing = FormEvent()
    closed = FormEvent()
    idle = FormEvent()


@dataclass_transform(kw_only_default=True, field_specifiers=(Param, Opener))
class Form(OpenForm, metaclass=FormKind):
    """A form: controls, rules, checks, prompts and handlers, declared in a class body.

    Class options: `title` (a text or a function of the form; default: from the class name), `without=("port",)` leaves out
    inherited controls, `confirm_discard="…"` is asked before changes are discarded, `records="scores"` binds the form to a
    record source, `on_leave="ask"` asks before a changed record is left (default: "save"), `on_conflict` says whose values
    count if someone else has changed a row ("theirs", "refuse"; default: "ask"), `keys="Ctrl+R"` opens the form in a session
    that offers it, `at_start=True` opens it when that session starts. `tabs=True`: its titled groups and its lines are
    tab pages, where a front end can show some. `idle=60` raises `idle` once the user has done nothing for 60 seconds while
    the form is in front. `done_text={"accepted": "Thank you", "cancelled": "Nothing was booked", "failed": "Call us"}` says
    it in the form's words once the form is closed, by verdict; "failed" is for an end without one.

    A form is opened by a session, by `rehearse` or by another form. It can't be created directly.
    """

    _is_root: ClassVar[bool] = True

    warnings_prompt = Prompt(
        "{warnings}",
        title=later("warnings.title"),
        buttons=(later("warnings.go_on"), later("warnings.go_back")),
        tone="warning",
    )
    """The prompt before a form with warnings is accepted. `{warnings}` lists them."""

    other_prompt = Prompt(later("other"), title=later("other.title"), buttons=(later("other.add"), later("other.once")))
    """The prompt for a typed text that isn't in the list of a choice with `other=True`."""

    failure_text: ClassVar[str] = later("notice.failed")
    """The text that the user reads if a handler fails, and what it did is undone."""

    def __init_subclass__(cls, **options: Unpack[FormOptions]) -> None:
        where = f"class {cls.__name__}"
        check_options(where, options)
        super().__init_subclass__()
        plan = cls._plan = collect(
            cls, Form, options.get("title"), options.get("without", ()), options.get("confirm_discard", "")
        )
        plan.at_start = options.get("at_start", False)
        plan.tabs = options.get("tabs", False)
        plan.idle = options.get("idle")
        plan.done_text = options.get("done_text", {})
        records = options.get("records")
        plan.records = bound_to(cls) if records is None else records
        plan.on_leave = options.get("on_leave", "save")
        plan.on_conflict = options.get("on_conflict", "ask")
        plan.keys = shortcut(where, options.get("keys", ""))
        if not plan.records:
            must_need_no_records(where, cls)

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
    def session(self) -> HandlerSession:
        """The session: its user, clock, records and other open forms."""
        return self._engine.session

    def ask(self, prompt: Prompt | str, *, buttons: tuple[str, ...] = OK_CANCEL, **facts: object) -> Answer:
        """Ask a question and wait; return the caption of the pressed button: a text with `by_close_button`.

        `prompt`: a declared prompt, or a text with `buttons`. `facts` fill the names in braces that aren't controls.
        """
        return self._engine.ask(self, prompt if isinstance(prompt, Prompt) else Prompt(prompt, buttons=buttons), facts)

    def confirm(self, text: str, *, default: bool = False, **facts: object) -> bool:
        """Ask a yes-or-no question and wait; return True for yes."""
        yes, no = later("yes"), later("no")
        prompt = Prompt(text, buttons=(yes, no), default=yes if default else no, cancel=no)
        answer: str = self._engine.ask(self, prompt, facts)
        return answer == yes

    def inform(self, text: str, **facts: object) -> None:
        """Show a text and wait until the user closes it."""
        self._engine.ask(self, Prompt(text, buttons=(later("ok"),), tone="plain"), facts)

    def ask_value(self, entry: InputControl[Any, R, Any], *, text: str = "", title: str = "") -> R | None:
        """Ask for one value: `self.ask_value(Text("State", required=True))`.

        `entry`: a declared control; its rules apply. `text`: shown above it. `title`: by default the control's caption.
        Returns None if the user cancels.
        """
        outcome = self.open(self._engine.value_form(entry, text, title))
        value: R | None = outcome.values["value"] if outcome.accepted else None
        return value

    def call_elsewhere(
        self,
        function: Callable[..., T],
        *args: object,
        text: str = "",
        timeout: float | None = None,
        can_cancel: bool = True,
        locks: Any = "form",
        progress: bool = False,
    ) -> T:
        """Run a function elsewhere and wait for it, while the form can be used: `self.call_elsewhere(rates.latest, 250)`.

        Whoever shows the form runs `function(*args)`, on another thread or in another process, so `args` are plain values.
        `text`: what the user reads until then. `timeout`: the seconds after which it is left. `can_cancel=False`: no Cancel;
        closing the form leaves it in any case. `locks`: what refuses gestures until then: "form", "nothing", or one or
        several controls of the form. `progress=True`: the function also gets `report=`, to call with `(done, of, text)`, on
        threads only.

        Raises what the function raised, `TimedOut` or `CallCancelled`; `TypeError` for arguments that can't be handed over;
        `RuleError` and `NotAllowedHere` outside of a handler, and where a form closes.
        """
        options = {"text": text, "timeout": timeout, "can_cancel": can_cancel, "locks": locks, "progress": progress}
        result: T = self._engine.call_elsewhere(self, function, args, **options)
        return result

    @property
    def records(self) -> FormRecords:
        """The form's records. Raises `NotAllowedHere` if the form isn't bound to records."""
        records = self._engine.records_of(self)
        if records is None:
            raise NotAllowedHere(
                f"{type(self).__name__} isn't bound to records; write class {type(self).__name__}(Form, records=…)"
            )
        return records

    @property
    def overrides(self) -> tuple[Override, ...]:
        """The warnings that the user has confirmed so far."""
        return self._state.overrides

    def say(self, text: str, *, tone: Tone = "plain", stays: bool = False) -> None:
        """Show a line in the form's message area. Never waits.

        It goes when a later gesture shows another record, or starts the form again; with `stays=True` it stays.
        """
        if tone not in TONES:
            raise ValueError(f"say(…): unknown tone '{tone}'; {suggest(str(tone), TONES)}")
        self._engine.say(self, text_for("say(…)", text), tone, stays)

    def open(
        self,
        form: Callable[P, Form],
        /,
        hiding: bool = False,
        place: Place = "over",
        at: Any = None,
        only: Mapping[str, Value] | None = None,
        *args: P.args,
        **params: P.kwargs,
    ) -> Outcome:
        """Open a dialog in front of this form and wait until it closes; return its outcome.

        `form`: a form class; pass its parameters by name. `hiding=True`: hide this form until the dialog closes.
        `place="beside"`: the two don't overlap. `at`: the record to start at: a key, `host_selection()` or `first_blank(…)`.
        `only={"pier": "North"}`: only rows with these values; new records start with them.
        """
        return self._engine.open(self, *_opening("open", form, args, params, Manner(hiding, place, True, at, only)))

    def show(
        self,
        form: Callable[P, F],
        /,
        hiding: bool = False,
        place: Place = "over",
        at: Any = None,
        only: Mapping[str, Value] | None = None,
        *args: P.args,
        **params: P.kwargs,
    ) -> F:
        """Open a form that stays open beside this one; return the open form.

        Takes the same arguments as `open`. The form stays open when this one closes.
        """
        shown: Any = self._engine.show(self, *_opening("show", form, args, params, Manner(hiding, place, False, at, only)))
        return shown  # type: ignore[no-any-return]

    def hide(self) -> None:
        """Hide the form until `unhide`. It stays open."""
        self._engine.hide(self, True)

    def unhide(self) -> None:
        """Show a hidden form again."""
        self._engine.hide(self, False)

    def to_front(self) -> None:
        """Bring the form to the front, and show it again if it is hidden.

        Raises `NotAllowedHere` if a prompt or dialog covers it.
        """
        self._engine.to_front(self)

    def close(self, verdict: str = CANCELLED) -> None:
        """Close the form after the current handler.

        `verdict`: "accepted" submits the form. Any other verdict closes it without checks.
        """
        self._engine.close_form(self, text_for("close(…)", verdict))

    def set_title(self, title: str) -> None:
        """Change the form's title."""
        self._engine.set_title(self, text_for("set_title(…)", title))

    @property
    def is_valid(self) -> bool:
        """True if no finding would refuse the form as it is typed now. Warnings don't count. Rules can read it:

        `Button("OK", closes="accepted", enabled=lambda form: form.is_valid)`.
        """
        valid = self._engine.is_form_valid(self)
        tracker = self._engine.tracker
        if tracker is not None:
            tracker[(self._state, "is_valid")] = valid
        return valid

    def refresh(self) -> None:
        """Run every rule of the form again. Use this after changing something that rules don't track."""
        self._engine.refresh(self)

    def afterwards(self, function: Callable[..., object], *args: object, caption: str = "") -> None:
        """Call `function(*args)` after the gesture's writes, in order.

        Use this for outward effects, such as sending a letter. If one fails, what was written stays, and the user is asked
        to try again. `caption`: what it is, for the user ("Send the letter"); otherwise the function's name.
        """
        self._engine.afterwards(self, function, args, caption)


def must_be_a_form(verb: str, form: object) -> None:
    """Raise `TypeError` if something isn't a form class that can be opened. `verb` is for the message."""
    if form is Form:
        raise TypeError(f"{verb}(…): Form itself has no controls; pass a class that derives from it")
    if not (isinstance(form, type) and issubclass(form, Form)):
        raise TypeError(f"{verb}(…): expected a form class, not {short(form)}")


def _opening(
    verb: str, form: Any, args: tuple[object, ...], params: Mapping[str, Value], how: Manner
) -> tuple[type[Form], Mapping[str, Any], Manner]:
    """Check the arguments of `open` and `show`; raise `TypeError`."""
    must_be_a_form(verb, form)
    if args or not isinstance(how.hiding, bool):
        raise TypeError(
            f"{verb}({form.__name__}, …): pass parameters by name: {', '.join(form._plan.params) or 'it has none'}"
        )
    if how.place not in PLACES:
        raise TypeError(f"{verb}({form.__name__}, …): unknown place {how.place!r}; {suggest(str(how.place), PLACES)}")
    if (how.at is not None or how.only) and not form._plan.records:
        raise TypeError(f"{verb}({form.__name__}, …): at= and only= need a form with records=")
    return form, params, how


def controls_of(form: Form) -> Mapping[str, Live]:
    """Return a form's live controls by path, in tab order."""
    state = form._state
    controls: Any = {control.name: control for control in state.order} if state.lines else state.controls
    return controls  # type: ignore[no-any-return]


def plan_of(form: object) -> FormPlan:
    """Return what a form or group class declares; for an open form, with its session's policy."""
    named: Any = form
    plan: FormPlan = named._plan if isinstance(form, type) else named._state.plan
    return plan


def name_of(form: Form) -> str:
    """Return a form's name in the trace: its class, numbered from the second on."""
    return form._state.name


def focus_of(form: Form) -> Live | None:
    """Return the control that has the form's focus, or None."""
    return form._state.focus  # type: ignore[no-any-return]


def forms_loaded() -> list[type[Form]]:
    """Return the form classes that Python has loaded. One whose declaration failed may still be there: it is left out."""
    classes: list[type[Form]] = []
    waiting = Form.__subclasses__()
    while waiting:
        kind = waiting.pop(0)
        if "_plan" in vars(kind):
            classes.append(kind)
        waiting.extend(kind.__subclasses__())
    return classes
