"""Rules that follow others: up to date when read, run once, in order, for all inputs."""

from __future__ import annotations

from datetime import date
from typing import Any

import pytest

from fuselatch import (
    Button,
    Choice,
    Event,
    Form,
    Group,
    HandlerFailed,
    Integer,
    Label,
    Lines,
    Number,
    Opener,
    RuleError,
    Shared,
    Text,
    Tick,
    derive,
)
from fuselatch.frontends import Session
from fuselatch.rehearsal import rehearse
from tests.helpers import act, told

COUNT = Shared(int, 0, name="count")


def test_each_rule_runs_once_and_only_when_an_input_differs() -> None:
    ran: list[str] = []

    def rule(name: str, read: Any) -> Any:
        def run(form: Any) -> float:
            ran.append(name)
            return float(read(form) + 1)

        return run

    class Runs(Form):
        last = Number("Last", value=rule("last", lambda form: form.middle.value + form.first.value))
        middle = Number("Middle", value=rule("middle", lambda form: form.first.value))
        first = Number("First", value=rule("first", lambda form: form.a.value or 0))
        a = Number("A")
        b = Number("B")
        go = Button("Go")

        @go.clicked
        def there_and_back(self) -> None:
            before = self.a.value
            self.a.value = 100
            assert self.last.value == 204
            self.a.value = before

    with rehearse(Runs) as desk:
        assert ran == ["last", "middle", "first"]
        ran.clear()
        desk.at(Runs).b.value = 1
        assert ran == []
        desk.at(Runs).a.value = 1
        assert sorted(ran) == ["first", "last", "middle"]
        start = len(desk.trace)
        desk.press("go")
        events = told(desk.trace[start:], "event")
        assert not any("changed" in line for line in events)
        ran.clear()
        start = len(desk.trace)
        desk.at(Runs).a.value = 2
        assert told(desk.trace[start:], "event") == ["a.changed", "first.changed", "middle.changed", "last.changed"]


def test_what_goes_there_and_back_runs_no_rule_that_has_seen_it() -> None:
    ran: list[str] = []

    def noted(name: str, value: float) -> float:
        ran.append(name)
        return value

    class Line(Group):
        count = Integer("Count")

    class Returns(Form):
        a = Number("A", default=1)
        two = Number("Two", value=derive(lambda a: noted("two", 2 * a), a))
        lines = Lines(Line, "Lines")
        many = Number("Many", value=lambda form: noted("many", len(form.lines.rows) + form.a.required_value))

        @a.changed
        def there_and_back(self, event: Event) -> None:
            if event.by == "user":
                self.a.value, self.a.value = 5, event.old

    with rehearse(Returns) as desk:
        desk.at(Returns).lines.add(count=1)
        ran.clear()
        act(desk, "type a 3", "tab")
        assert (desk.at(Returns).two.value, desk.at(Returns).many.value, ran) == (2, 2, [])


def test_a_rule_follows_what_it_reads_now_not_what_it_read_once() -> None:
    class Either(Form):
        first = Tick("First")
        a = Text("A")
        b = Text("B")
        shown = Label("Shown", value=lambda form: form.a.value if form.first.value else form.b.value)

    with rehearse(Either) as desk:
        form = desk.at(Either)
        form.b.value = "b"
        assert form.shown.value == "b"
        start = len(desk.trace)
        form.a.value = "a"
        assert told(desk.trace[start:], "change") == ["a.value: blank → a"]
        form.first.value = True
        assert form.shown.value == "a"
        assert desk.why("shown.value").endswith("by its rule, which reads first.value (yes), a.value (a)")


def test_what_reads_a_choice_follows_its_list_at_once() -> None:
    seen: list[str] = []

    class Lists(Form):
        pier = Choice("Pier", choices=("North", "South"))
        berth = Choice("Berth", choices=lambda form: {"North": ["N1"], "South": ["S1"]}.get(form.pier.value, []))
        label = Label("Label", value=lambda form: form.berth.value or "none")

        @pier.changed
        def look(self) -> None:
            seen.append(self.label.value)

    with rehearse(Lists) as desk:
        act(desk, "pick pier North", "pick berth N1")
        assert desk.at(Lists).label.value == "N1"
        desk.pick("pier", "South")
        assert seen == ["none", "none"] and desk.at(Lists).label.value == "none"


@pytest.mark.parametrize("declared", ["derive", "lambda"])
def test_a_chain_of_a_thousand_declared_backwards_opens_and_follows(declared: str) -> None:
    ran = [0]

    def one_more(value: float) -> float:
        ran[0] += 1
        return value + 1

    members: dict[str, Any] = {"c1000": Number("C1000", default=0)}
    controls: dict[str, Any] = {}
    for number in range(999, -1, -1):
        before = members[f"c{number + 1}"]
        before.name = f"c{number + 1}"
        rule: Any = derive(one_more, before)
        if declared == "lambda":
            rule = lambda form, name=f"c{number + 1}": one_more(getattr(form, name).value)  # noqa: E731
        members[f"c{number}"] = Number(f"C{number}", value=rule)
    for number in range(1001):
        controls[f"c{number}"] = members[f"c{number}"]
    from types import new_class

    chain: Any = new_class("Chain", (Form,), {}, lambda body: body.update(controls))
    with Session(chain) as session:
        form: Any = session.front
        assert form.c0.value == 1000 and ran[0] == 1000
        form.c1000.value = 5
        assert form.c0.value == 1005 and ran[0] == 2000


def test_a_circle_is_named() -> None:
    class Circle(Form):
        a = Number("A", value=lambda form: form.b.value)
        b = Number("B", value=lambda form: form.c.value)
        c = Number("C", value=lambda form: form.a.value)

    with pytest.raises(HandlerFailed) as caught:
        Session(Circle)
    assert isinstance(caught.value.error, RuleError)
    assert str(caught.value.error) == "these rules depend on each other in a circle: a.value → b.value → c.value → a.value"


def test_every_property_may_follow_a_rule() -> None:
    class All(Form, title=lambda form: f"Title {form.a.value}"):
        a = Number("A", default=1)
        b = Number(
            lambda form: f"Caption {form.a.value}",
            enabled=lambda form: form.a.value != 2,
            visible=lambda form: form.a.value != 3,
            required=lambda form: form.a.value == 4,
            help=lambda form: f"Help {form.a.value}",
            tone=lambda form: "danger" if form.a.value == 5 else "plain",
            minimum=lambda form: form.a.value,
            maximum=lambda form: form.a.value + 10,
            default=lambda form: form.a.value,
        )

    with rehearse(All) as desk:
        form = desk.at(All)
        assert (form.title, form.b.caption, form.b.help, form.b.value) == ("Title 1.0", "Caption 1.0", "Help 1.0", 1.0)
        start = len(desk.trace)
        form.a.value = 5
        assert (form.title, form.b.tone, form.b.minimum, form.b.maximum) == ("Title 5.0", "danger", 5.0, 15.0)
        assert "All.title: Title 1.0 → Title 5.0" in told(desk.trace[start:])
        assert [finding.text for finding in form.b.findings] == ["Too low: 1. Minimum is 5"]
        form.a.value = 2
        assert not form.b.enabled and form.b.findings == ()
        for prop, value in (("caption", "x"), ("enabled", True), ("tone", "plain")):
            with pytest.raises(RuleError, match=rf"All\.b\.{prop} has a rule and can't be set"):
                setattr(form.b, prop, value)


def test_handlers_set_properties_that_are_traced_and_put_back() -> None:
    class Sets(Form):
        a = Text("A")
        b = Choice("B", choices=("x", "y"))
        bad = Tick("Bad")

        @a.changed
        def set_all(self) -> None:
            for name in ("caption", "help"):
                setattr(self.b, name, "new")
            self.b.enabled = self.b.visible = False
            self.b.required = True
            self.b.tone = "warning"
            self.b.choices = ["z"]
            self.set_title("New title")
            if self.bad.value:
                raise ValueError

    def state(form: Sets) -> tuple[object, ...]:
        b = form.b
        return form.title, b.caption, b.help, b.enabled, b.visible, b.required, b.tone, list(b.choices), b.value

    with rehearse(Sets) as desk:
        form = desk.at(Sets)
        form.b.value = "x"
        form.bad.value = True
        before = state(form)
        with pytest.raises(HandlerFailed):
            form.a.value = "1"
        assert state(form) == before == ("Sets", "B", "", True, True, False, "plain", ["x", "y"], "x")
        form.bad.value = False
        start = len(desk.trace)
        form.a.value = "1"
        assert state(form) == ("New title", "new", "new", False, False, True, "warning", ["z"], None)
        assert told(desk.trace[start:], "change")[1:4] == [
            "b.caption: B → new",
            "b.help: blank → new",
            "b.enabled: yes → no",
        ]


def test_rules_follow_session_values_the_date_open_forms_and_the_opener() -> None:
    class Side(Form):
        opener: Any = Opener()

        word = Text("Word")
        echo = Label("Echo", value=lambda form: form.opener.a.value)

    class Centre(Form):
        a = Text("A")
        count = Number("Count", value=lambda form: form.session[COUNT])
        today = Label("Today", value=lambda form: form.session.today().isoformat())
        word = Label("Word", value=lambda form: (found := form.session.find(Side)) and found.word.value)
        go = Button("Go")
        more = Button("More")

        @go.clicked
        def show_side(self) -> None:
            self.show(Side)

        @more.clicked
        def count_on(self, event: Event) -> None:
            self.session[COUNT] = (self.session[COUNT] or 0) + 1
            if self.session[COUNT] == 3:
                raise ValueError("three")

    desk = rehearse(Centre)
    desk.__enter__()
    form = desk.at(Centre)
    assert (form.count.value, form.today.value, form.word.value) == (0, "2031-05-04", "")
    act(desk, "press more", "press more")
    with pytest.raises(HandlerFailed):
        desk.press("more")
    assert form.count.value == 2
    act(desk, "press go", "paste word eider")
    assert form.word.value == ""
    desk.focus("word")
    desk.at(Side).word.value = "eider"
    assert form.word.value == "eider"
    form.a.value = "x"
    assert desk.at(Side).echo.value == "x"
    desk.close()
    assert form.word.value == ""
    act(desk, "wait 1d", "tab")
    assert form.today.value == date(2031, 5, 5).isoformat()
    with pytest.raises(TypeError, match="Shared count: expected int, not str"):
        desk.session[COUNT] = "x"  # type: ignore[misc]
    desk.session.close()


def test_a_plain_attribute_that_a_rule_names_can_not_be_set() -> None:
    class Plain(Form):
        a = Text("A")
        b = Label("B", value=lambda form: form.a.value + getattr(form, "suffix", "") + form.__dict__.get("mark", ""))
        c = Label("C", value=lambda form: form.suffix if form.a.value == "never" else "")

        @a.changed
        def set_it(self) -> None:
            if self.a.value == "bad":
                self.suffix = "!"
            self.tag = "!"
            self.refresh()

    with rehearse(Plain) as desk:
        desk.at(Plain).a.value = "x"
        with pytest.raises(HandlerFailed, match=r"Plain\.suffix is read by a rule, but rules don't notice plain attributes"):
            desk.at(Plain).a.value = "bad"


def test_stale_reads_are_noted_once_a_gesture() -> None:
    class Reads(Form):
        a = Text("A")
        b = Button("B", closes="look")

        @b.clicked
        def look(self) -> None:
            assert self.a.value == "" and self.a.value == self.a.value

    with rehearse(Reads) as desk:
        act(desk, "paste a typed", "press b")
        assert told(desk.trace, "stale") == ["reads a while 'typed' is still a draft"]
