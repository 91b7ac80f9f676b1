"""A class that is declared wrongly isn't created: the message says where, why and how to fix it."""

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
    Label,
    Money,
    Number,
    Param,
    Picture,
    Prompt,
    Table,
    Text,
    check,
    derive,
    on,
)
from fuselatch.frontends import Session

A = Text("Alone")


def member(**members: Any) -> Callable[[], type]:
    """Return a function that creates a form class with these members; `names` are set as Python sets them."""
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
    ("Form's own name", member(open=Text("Open")), "Bad.open: Form already uses this name; choose another"),
    ("an option's name", member(now=Param()), "Bad.now: this name is an option of rehearse, open or show; rename the parameter"),
    ("a leading underscore", member(_a=Text("A")), "Bad._a: a control's name must start with a letter"),
    ("one control, two names", member(a=(shared := Text("A")), b=shared), "Bad.b: this is the same control as 'a'; declare a new one"),
    ("two handlers of one name", twice, "Bad.hear is declared twice; rename one"),
    ("an event it can't raise", can_not_raise, "a button has no event 'changed'; choose from hovered, unhovered, entered, left, clicked"),
    ("an unknown control", foreign, "Bad.hear: can't handle '<Text 'Alone'>.changed': Bad has no control '<Text 'Alone'>'; choose from alone"),
    ("too many arguments", too_many, "Bad.hear: a handler takes self or (self, event), not 3 arguments"),
    ("another kind", other_kind, "Bad.a: a Text can't be replaced by a Number; use the same kind of control"),
    ("a check's arguments", check_of_two, "Bad.judge: a check of a takes self and 1 value, in this order"),
    ("an unknown option", lambda: Text("A", requird=True), "Text('A'): unknown option 'requird'; did you mean 'required'?"),  # type: ignore[call-arg]
    ("an unknown class option", lambda: new_class("Bad", (Form,), {"titel": "x"}), "class Bad: unknown option 'titel'; did you mean 'title'?"),
    ("a default that is no button", lambda: Prompt("Sure?", buttons=("Yes", "No"), default="Yess"), "Prompt('Sure?'): default 'Yess' isn't one of the buttons; did you mean 'Yes'?"),
    ("too many buttons", lambda: Prompt("Sure?", buttons=tuple("abcde")), "Prompt('Sure?'): buttons must be 1 to 4 different captions in a tuple, not ('a', 'b', 'c', 'd', 'e')"),
    ("an unknown tone", lambda: Prompt("Sure?", tone="loud"), "Prompt('Sure?'): unknown tone 'loud'; choose from plain, question, warning, danger"),  # type: ignore[arg-type]
    ("a brace left open", lambda: Prompt("{vessel is long"), "Prompt('{vessel is long'): expected '}' before end of string; for literal braces write {{ and }}"),
    ("a fact that is no name", lambda: Prompt("{a.b}"), "Prompt('{a.b}'): '{a.b}' isn't a name; use the name of a control or fact"),
    ("choices as one text", lambda: Choice("A", choices="North"), "Choice('A'): choices must be a tuple or list, not 'North'"),
    ("a bound of another type", lambda: Money("A", minimum=1.5), "Money('A'): minimum: expected an amount (Decimal or int), not float 1.5"),  # type: ignore[call-overload]
    ("bounds that nothing fits", lambda: Number("A", minimum=5, maximum=3), "Number('A'): minimum 5.0 is greater than maximum 3.0"),
    ("lengths that nothing fits", lambda: Text("A", min_length=5, max_length=3), "Text('A'): min_length 5 is greater than max_length 3"),
    ("an unknown look", lambda: Text("A", look="big"), "Text('A'): unknown look 'big'; choose from multi-line, password"),
    ("an unknown key", lambda: Button("A", keys="Ctl+R"), "Button('A'): keys: 'Ctl' in 'Ctl+R' isn't a key; write Ctrl+Enter, F5, Escape or one character"),
    ("a pattern that is none", lambda: Text("A", pattern="("), "Text('A'): pattern '(' isn't a valid regular expression: missing ), unterminated subpattern at position 0"),
    ("an unknown rounding", lambda: Money("A", rounding="halfup"), "Money('A'): unknown rounding 'halfup'; did you mean 'half-up'?"),
    ("no verdict", lambda: Button("A", closes=" "), "Button('A'): closes can't be empty; use 'accepted', 'cancelled' or your own word"),
    ("a picture without words", lambda: Label("A", picture=Picture(b"GIF8")), """Label('A'): a picture needs alt="…", what it says; "" if it only decorates"""),
    ("a picture's file name", lambda: Label("A", picture="a.png", alt=""), "Label('A'): picture must be a Picture or a rule, not 'a.png'"),  # type: ignore[arg-type]
    ("tabs that are neither", lambda: new_class("Bad", (Form,), {"tabs": "yes"}), "class Bad: tabs must be True or False, not 'yes'"),
    ("words for an end that aren't by verdict", lambda: new_class("Bad", (Form,), {"done_text": "Thanks"}), "class Bad: done_text must be a mapping of verdicts to texts, as {\"accepted\": \"Thank you\"}, not 'Thanks'"),
    ("a long value", lambda: Table("A", rows=["x"] * 999, columns=("a",)), "Table('A'): rows must be a Catalog or a function of the form (rows=lambda form: …), not ['x', 'x', 'x', 'x', 'x', 'x', 'x', 'x'…"),  # type: ignore[call-overload]
    ("derive of nothing", lambda: derive(len), "derive(len): pass the controls that len reads"),  # type: ignore[call-overload]
    ("derive of a button", lambda: derive(len, Button("A")), "derive(len, …): expected declared controls with a value, not <Button 'A'>"),  # type: ignore[call-overload]
    ("on of a control", lambda: on(A), "on(…): expected an event such as length.changed, not Text; add the event name"),  # type: ignore[arg-type]
    ("a handler that is asynchronous", lambda: on(A.changed)(later), "a handler can't use async or yield (later); a handler can wait without them"),
    ("a handler that is no method", lambda: on(A.changed)(staticmethod(len)), "a handler must be a method, not staticmethod; put the event on top"),
    ("a check that is no method", lambda: check(A)(property(len)), "a check must be a method, not property; put @check on top"),  # type: ignore[type-var]
    ("a check of nothing", check, "check() needs at least one control, for example check(length)"),
]  # fmt: skip


@pytest.mark.parametrize(("what", "make", "message"), BAD, ids=[row[0] for row in BAD])
def test_a_wrong_declaration_fails_when_the_class_is_made(what: str, make: Callable[[], object], message: str) -> None:
    with pytest.raises((DeclarationError, RuntimeError)) as caught:
        make()
    assert str(caught.value) == message
    assert isinstance(caught.value, DeclarationError)


class Opened(Form):
    """A form with params."""

    size: float = Param()
    names: tuple[str, ...] = Param(default=())
    a = Text("A")


@pytest.mark.parametrize(
    ("params", "error", "message"),
    [
        ({"size": 1, "name": ()}, LookupError, "Opened has no parameter 'name'; did you mean 'names'?"),
        ({}, LookupError, "Opened needs size; pass each by name: open(Opened, size=…) in a handler, or Scene(Opened, size=…) in a scene function"),
        ({"size": "1"}, TypeError, "Opened: expected size=float, not '1'"),
    ],
)  # fmt: skip
def test_params_are_looked_at_before_the_form_opens(params: dict[str, Any], error: type[Exception], message: str) -> None:
    with pytest.raises(error) as caught:
        Session(Opened, params=params)
    assert str(caught.value).strip('"') == message


def test_a_form_is_opened_not_called() -> None:
    with pytest.raises(RuntimeError, match=r"Opened can't be created directly; use self.open\(Opened, …\)"):
        Opened(size=1)
