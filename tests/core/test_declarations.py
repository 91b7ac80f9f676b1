"""Declared wrongly, a class is not made: where, why and how to mend it, in one sentence."""

from __future__ import annotations

from collections.abc import Callable
from types import new_class
from typing import Any

import pytest

from fuselatch import (
    Button,
    Choice,
    DeclarationError,
    Form,
    Money,
    Number,
    Param,
    Prompt,
    Session,
    Text,
    Tick,
    Whole,
    check,
    derive,
    on,
)
from fuselatch.core.forms.form import plan_of

A = Text("Alone")


def member(**members: Any) -> Callable[[], type]:
    """A form class with these members, made when called; `names` are set as Python sets them."""
    return lambda: new_class("Bad", (Form,), {}, lambda body: body.update(members))


def twice() -> type:
    class Bad(Form):
        a = Text("A")

        @a.changed
        def hear(self) -> None: ...

        @a.left  # type: ignore[no-redef]
        def hear(self) -> None: ...  # noqa: F811

    return Bad


def can_not_raise() -> type:
    class Bad(Form):
        go = Button("Go")

        @go.changed  # type: ignore[attr-defined, untyped-decorator]
        def hear(self) -> None: ...

    return Bad


def foreign() -> type:
    class Bad(Form):
        alone = Text("A")

        @A.changed
        def hear(self) -> None: ...

    return Bad


async def later(self: object) -> None:
    """Not a plain method."""


def too_many() -> type:
    class Bad(Form):
        a = Text("A")

        @a.changed
        def hear(self, event: object, more: object) -> None: ...

    return Bad


def other_kind() -> type:
    class Base(Form):
        a = Text("A")

    class Bad(Base):
        a = Number("A")  # type: ignore[assignment]

    return Bad


def check_of_two() -> type:
    class Bad(Form):
        a = Text("A")

        @check(a)
        def judge(self, a: str, b: str) -> None: ...

    return Bad


BAD: list[tuple[str, Callable[[], object], str]] = [
    ("Form's own name", member(open=Text("Open")), "Bad.open: Form itself uses this name; take another"),
    ("an option's name", member(now=Param()), "Bad.now: an option of rehearse or open has this name; take another for the param"),
    ("a leading underscore", member(_a=Text("A")), "Bad._a: a control's name starts with a letter"),
    ("one control, two names", member(a=(shared := Text("A")), b=shared), "Bad.b: this is the control 'a' again; declare one for each name"),
    ("two handlers of one name", twice, "Bad.hear is declared twice in one class; give the second a name of its own"),
    ("an event it can't raise", can_not_raise, "a Button can't raise 'changed': its events are pointed, unpointed, entered, left, clicked"),
    ("a control of nobody", foreign, "Bad.hear: can't hear '<Text 'Alone'>.changed': '<Text 'Alone'>' is no control of Bad; it has alone"),
    ("too many arguments", too_many, "Bad.hear: a handler takes self, or self and the event, not 3 arguments"),
    ("another kind", other_kind, "Bad.a: replaces a Text by a Number; a control may be replaced by one of its kind"),
    ("a check's arguments", check_of_two, "Bad.judge: a check of a takes self and 1 value(s), one for each control"),
    ("an unknown option", lambda: Text("A", requird=True), "Text('A'): there is no option 'requird'; did you mean 'required'?"),  # type: ignore[call-arg]
    ("an unknown class option", lambda: new_class("Bad", (Form,), {"titel": "x"}), "class Bad: there is no class option 'titel'; did you mean 'title'?"),
    ("a default that is no button", lambda: Prompt("Sure?", buttons=("Yes", "No"), default="Yess"), "Prompt('Sure?'): default 'Yess' is no button of it; did you mean 'Yes'?"),
    ("too many buttons", lambda: Prompt("Sure?", buttons=tuple("abcde")), "Prompt('Sure?'): buttons are one to four different captions in a tuple, not ('a', 'b', 'c', 'd', 'e')"),
    ("a tone of nobody", lambda: Prompt("Sure?", tone="loud"), "Prompt('Sure?'): there is no tone 'loud'; it has plain, question, warning, danger"),  # type: ignore[arg-type]
    ("a brace left open", lambda: Prompt("{vessel is long"), "Prompt('{vessel is long'): expected '}' before end of string; write {{ and }} for plain braces"),
    ("a fact that is no name", lambda: Prompt("{a.b}"), "Prompt('{a.b}'): '{a.b}' is no name; put a control's or a fact's name in braces"),
    ("choices as one text", lambda: Choice("A", choices="North"), "Choice('A'): choices are a tuple or list of items, not 'North'"),
    ("a bound of another type", lambda: Money("A", minimum=1.5), "Money('A'): minimum: an amount (Decimal or int) is wanted here, not float 1.5"),  # type: ignore[arg-type]
    ("bounds that nothing fits", lambda: Number("A", minimum=5, maximum=3), "Number('A'): minimum 5.0 is above maximum 3.0; nothing fits"),
    ("lengths that nothing fits", lambda: Text("A", min_length=5, max_length=3), "Text('A'): min_length 5 is above max_length 3; nothing fits"),
    ("a look of nobody", lambda: Text("A", look="big"), "Text('A'): there is no look 'big'; it has multi-line, password"),
    ("a key of nobody", lambda: Button("A", keys="Ctl+R"), "Button('A'): keys: 'Ctl' in 'Ctl+R' is no key; write Ctrl+Enter, F5, Escape or one character"),
    ("a pattern that is none", lambda: Text("A", pattern="("), "Text('A'): pattern '(' is no regular expression: missing ), unterminated subpattern at position 0"),
    ("a rounding of nobody", lambda: Money("A", rounding="halfup"), "Money('A'): there is no rounding 'halfup'; did you mean 'half-up'?"),
    ("no verdict", lambda: Button("A", closes=" "), "Button('A'): closes='' is no verdict; write 'accepted', 'cancelled' or a word"),
    ("derive of nothing", lambda: derive(len), "derive(len) names no control; name those whose values it takes"),  # type: ignore[call-overload]
    ("derive of a button", lambda: derive(len, Button("A")), "derive(len, …) takes declared controls that hold a value, not <Button 'A'>"),  # type: ignore[call-overload]
    ("on of a control", lambda: on(A), "on(…) takes events such as length.changed, not Text; name the event behind the control"),  # type: ignore[arg-type]
    ("a handler that is asynchronous", lambda: on(A.changed)(later), "a handler is a plain method: leave out async and yield in later; a handler can wait as it is"),
    ("a handler that is no method", lambda: on(A.changed)(staticmethod(len)), "a handler is a plain method, not staticmethod; put the event on top"),
    ("a check that is no method", lambda: check(A)(property(len)), "a check is a plain method, not property; put @check on top"),  # type: ignore[type-var]
    ("a check of nothing", check, "check() names no control; name the one whose value it judges, such as check(length)"),
]  # fmt: skip


@pytest.mark.parametrize(("what", "make", "message"), BAD, ids=[row[0] for row in BAD])
def test_a_wrong_declaration_fails_when_the_class_is_made(what: str, make: Callable[[], object], message: str) -> None:
    with pytest.raises((DeclarationError, RuntimeError)) as caught:
        make()
    assert str(caught.value) == message
    assert isinstance(caught.value, DeclarationError)


def test_controls_keep_their_order_and_a_replaced_one_its_place() -> None:
    class Base(Form):
        a = Text("A")
        b = Number("B", minimum=1)
        c = Tick("C")

    class Child(Base, title="A child"):
        d = Whole("D")
        b = Number("B", minimum=2)

    assert list(plan_of(Child).controls) == ["a", "b", "c", "d"]
    assert (plan_of(Child).title, plan_of(Base).title) == ("A child", "Base")
    with Session(Child) as session:
        form = session.front
        assert isinstance(form, Child) and form.b.minimum == 2
        form.b.value = 1
        assert [finding.text for finding in form.b.findings] == ["1 is too small; at least 2"]


def test_decorators_return_the_function_and_collecting_runs_no_code() -> None:
    def plain(self: Any) -> None:
        raise AssertionError("collecting ran this")

    assert on(A.changed)(plain) is plain
    assert check(A)(plain) is plain

    class Careful(Form):
        a = Text("A", default=lambda form: form.nothing_of_the_sort)

        @property
        def b(self) -> str:
            raise AssertionError("collecting ran this")

    assert list(plan_of(Careful).controls) == ["a"]


class Opened(Form):
    """A form with params."""

    size: float = Param()
    names: tuple[str, ...] = Param(default=())
    a = Text("A")


@pytest.mark.parametrize(
    ("params", "error", "message"),
    [
        ({"size": 1, "name": ()}, LookupError, "Opened has no param 'name': did you mean 'names'?"),
        ({}, LookupError, "Opened is opened with size, which is missing; give it by name"),
        ({"size": "1"}, TypeError, "Opened: the param 'size' is of type float, not '1'"),
    ],
)
def test_params_are_looked_at_before_the_form_opens(params: dict[str, Any], error: type[Exception], message: str) -> None:
    with pytest.raises(error) as caught:
        Session(Opened, params=params)
    assert str(caught.value).strip('"') == message


def test_params_are_handed_over_uncopied_and_stay() -> None:
    names = ("a", "b")
    with Session(Opened, params={"size": 1, "names": names}) as session:
        form = session.front
        assert isinstance(form, Opened) and form.names is names
        with pytest.raises(AttributeError, match=r"Opened\.names is a param, fixed when the form opened"):
            form.names = ()


def test_a_form_is_opened_not_called() -> None:
    with pytest.raises(RuntimeError, match=r"Opened is opened, not called: self.open\(Opened, …\)"):
        Opened(size=1)
