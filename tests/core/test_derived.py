"""Rules that follow others: up to date when read, run once, in order, for all inputs."""

from __future__ import annotations

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
    derive,
)
from fuselatch.frontends import Session
from fuselatch.rehearsal import rehearse
from tests.bench import LOG, undone
from tests.helpers import act, told

COUNT = Shared(int, 0, name="count")


def counted(name: str, read: Any) -> Any:
    """Return a rule that notes each run."""

    def run(form: Any) -> Any:
        LOG.append(name)
        return read(form)

    return run


def twice(last: float) -> float:
    """Return it twice, and note the run."""
    LOG.append("two")
    return 2 * last


class Line(Group):
    """A line of rules that count."""

    count = Integer("Count")


class Runs(Form):
    """Rules that read rules declared after them, a list, and lines."""

    last = Number("Last", value=counted("last", lambda form: form.middle.value + form.first.value))
    middle = Number("Middle", value=counted("middle", lambda form: form.first.value + 1))
    first = Number("First", value=counted("first", lambda form: (form.a.value or 0) + 1))
    two = Number("Two", value=derive(twice, last))
    many = Number("Many", value=counted("many", lambda form: len(form.lines.rows) + (form.a.value or 0)))
    pier = Choice("Pier", choices=("North", "South"))
    berth = Choice("Berth", choices=lambda form: {"North": ["N1"], "South": ["S1"]}.get(form.pier.value, []))
    seen = Text("Seen", value=lambda form: form.berth.value or "none")
    lines = Lines(Line, "Lines")
    a = Number("A", default=1)
    b = Number("B")

    @a.changed
    def there_and_back(self, event: Event) -> None:
        if event.by == "user":
            self.a.value = 100
            assert self.last.value == 203
            self.a.value = event.old

    @pier.changed
    def look(self) -> None:
        LOG.append(self.seen.value)


def test_each_rule_runs_once_and_only_when_an_input_differs() -> None:
    LOG.clear()
    with rehearse(Runs) as desk:
        form = desk.at(Runs)
        assert sorted(LOG) == ["first", "last", "many", "middle", "two"]
        form.lines.add(count=1)
        for name, ran in (("b", []), ("a", ["first", "last", "many", "middle", "two"])):
            LOG.clear()
            start = len(desk.trace)
            getattr(form, name).value = 3
            assert sorted(LOG) == ran
        assert told(desk.trace[start:], "event") == [
            f"{name}.changed" for name in ("a", "first", "middle", "last", "two", "many")
        ]
        act(desk, "type a 7", "tab")
        assert (form.a.value, form.last.value) == (3, 9)
        LOG.clear()
        form.b.value = 4
        assert LOG == [], "what went there and back runs no rule that has seen it"


@pytest.mark.parametrize(("steps", "told"), [((), ""), (("type a 3",), ""), (("type b x",), ""), (("type a 3", "type b x"), "3.0x"), (("type a 0", "type b x"), "0.0x")])  # fmt: skip
def test_a_derived_value_is_blank_while_one_of_its_inputs_is(steps: tuple[str, ...], told: str) -> None:
    a, b = Number("A"), Text("B")
    joined = Text("Joined", value=derive(lambda a, b: f"{a}{b}", a, b))
    with rehearse(type("Mixed", (Form,), {"a": a, "b": b, "joined": joined})) as desk:
        act(desk, *steps, "tab")
        assert desk.session.control("joined").value == told


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


class Side(Form):
    """Follows its opener."""

    opener: Any = Opener()

    word = Text("Word")
    echo = Label("Echo", value=lambda form: form.opener.a.value)


class Centre(Form):
    """Follows the session, the date and an open form."""

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
    def count_on(self) -> None:
        self.session[COUNT] = (self.session[COUNT] or 0) + 1
        if self.session[COUNT] == 3:
            raise ValueError("three")


def test_rules_follow_session_values_the_date_open_forms_and_the_opener() -> None:
    with rehearse(Centre) as desk:
        form = desk.at(Centre)
        assert (form.count.value, form.today.value, form.word.value) == (0, "2031-05-04", "")
        act(desk, "press more", "press more")
        undone(desk, "press more", "three")
        assert form.count.value == 2
        act(desk, "press go", "paste word eider")
        assert form.word.value == ""
        desk.focus("word")
        desk.at(Side).word.value = "teal"
        form.a.value = "x"
        assert (form.word.value, desk.at(Side).echo.value) == ("teal", "x")
        desk.close()
        act(desk, "wait 1d", "tab")
        assert (form.word.value, form.today.value) == ("", "2031-05-05")
        with pytest.raises(TypeError, match="Shared count: expected int, not str"):
            desk.session[COUNT] = "x"  # type: ignore[misc]


class Plain(Form):
    """Rules that read plain attributes."""

    a = Text("A")
    b = Label("B", value=lambda form: form.a.value + getattr(form, "suffix", "") + form.__dict__.get("mark", ""))
    c = Label("C", value=lambda form: form.suffix if form.a.value == "never" else "")
    look = Button("Look", closes="look")

    @a.changed
    def set_it(self) -> None:
        if self.a.value == "bad":
            self.suffix = "!"
        self.tag = "!"
        self.refresh()

    @look.clicked
    def read_twice(self) -> None:
        assert self.a.value == "x" and self.a.value == self.a.value


def test_a_plain_attribute_that_a_rule_names_can_not_be_set_and_stale_reads_are_noted_once() -> None:
    with rehearse(Plain) as desk:
        desk.at(Plain).a.value = "x"
        with pytest.raises(HandlerFailed, match=r"Plain\.suffix is read by a rule, but rules don't notice plain attributes"):
            desk.at(Plain).a.value = "bad"
        act(desk, "paste a typed", "press look")
        assert told(desk.trace, "stale") == ["reads a while 'typed' is still a draft"]
