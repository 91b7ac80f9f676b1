"""Checking before running: the problems in a file of forms, all found at once."""

from __future__ import annotations

from pathlib import Path

import pytest
from click.testing import CliRunner

from fuselatch.cli import main
from fuselatch.review.checking import check_file

ROOT = Path(__file__).parents[2]
HEAD = "from fuselatch import Button, Choice, Event, Form, Group, Number, Prompt, CustomEvent, Text, check, warn\n\n\n"
LEAVE = '    leave = Button("Leave", closes="cancelled")\n'
OTHER = 'class Other(Form):\n    go = Button("Go", closes="accepted")\n\n\n'

# The body of a form, and what is found: line within the body (from 1), and the message.
FOUND: list[tuple[str, list[tuple[int, str]]]] = [
    ('    idle = Button("Idle")\n', [(1, "button F.idle does nothing; add a handler for idle.clicked, or closes= or submits=")]),
    ('    go = Button("Go", submits=True)\n', []),
    ('    go = Button("Go", submits=True, keys="Ctrl+W")\n', [(1, "shortcut Ctrl+W of F.go never reaches a page; use another")]),
    ('    sure = Prompt("Sure?")\n', [(1, "prompt F.sure is never asked; ask it with self.ask(self.sure)")]),
    ('    a = Text("A", enabled=False)\n\n    @a.left\n    def gone(self):\n        pass\n', [(3, "F.gone never runs: a is never enabled; set a.enabled in a rule or handler")]),
    ("    @Form.submitted\n    def done(self):\n        pass\n", [(1, 'F.done never runs: no button accepts the form; add a button with closes="accepted" or submits=True')]),
    ("    @Form.record_shown\n    def shown(self):\n        pass\n", [(1, "F.shown never runs: the form isn't bound to records; add records=\"…\" to the class")]),
    ('    a = Text("A")\n\n    @a.hovered\n    def hover(self):\n        self.helped()\n\n    def helped(self):\n        self.ask("sure?")\n',
     [(8, "F.hover handles a.hovered and waits for the user (self.ask); a pointer handler can't wait; use self.say")]),
    ('    @Form.closing\n    def stay(self, event):\n        """Never lets go."""\n        event.block("no")\n', [(1, "F can't be closed: F.stay always blocks; block only in a condition")]),
    ('    @Form.closing\n    def stay(self, event):\n        if self.title:\n            event.block("no")\n', []),
    ('    a = Number("A", required=lambda form: form.aa.value > 3)\n', [(1, "F has no 'aa'; did you mean 'a'?")]),
    ('    a = Number("A")\n\n    @a.changed\n    def raise_it(self):\n        self.a.valeu = 3\n', [(5, "F.a has no 'valeu'; did you mean 'value'?")]),
    ('    a = Number("A")\n    b = Text("B", enabled=lambda form: form.look())\n\n    def look(self):\n        self.a.value = 3\n        return True\n',
     [(5, "the rule for b.enabled sets a.value, which raises an error when it runs; set it in a handler")]),
    ('    a = Number("A")\n\n    @check(a)\n    def sure(self, a):\n        return None if self.confirm("sure?") else "no"\n',
     [(5, "the check sure waits for the user (self.confirm), which raises an error when it runs; ask in a handler")]),
    ('    a = Text("A", maxlength=3)\n    b = Number("B", minimum=9, maximum=3)\n    b2 = Button("B2", keys="Bogus+Q")\n\n    @check(a)\n    def short(self, a):\n        return None\n',
     [(1, "Text('A'): unknown option 'maxlength'; did you mean 'max_length'?"), (2, "Number('B'): minimum 9.0 is greater than maximum 3.0"), (3, "Button('B2'): keys:")]),
    ('    a = Text("A")\n    say = Text("Say")\n    close = Text("Close")\n', [(2, "F.say"), (3, "F.close")]),
    ('    a = Number("A")\n    b = Text("B", default="x", visible=lambda form: False)\n    c = Text("C", default="x")\n    d = Number("D", enabled=False)\n\n    @Form.opened\n    def begin(self):\n        self.a.value = 7\n        self.a.enabled = False\n        self.d.value = 3\n        self.d.enabled = False\n        if self.a.value:\n            self.c.visible = False\n',
     [(1, "the value of F.a never leaves the form: begin disables it for good; declare it visible=False"),
      (2, "the value of F.b never leaves the form: its rule for visible always hides it; declare it visible=False")]),
    ('    sure = Prompt("Sure?", buttons=("Yes", "No"))\n    go = Button("Go", submits=True)\n\n    @go.clicked\n    def take(self):\n        answer = self.ask(self.sure)\n        if answer == "yes":\n            return\n        match self.ask("So?", buttons=("A", "B")):\n            case "A" | "C":\n                pass\n        if self.ask(self.sure) in ("No", "Maybe"):\n            pass\n',
     [(7, "no button answers 'yes'; did you mean 'Yes'?"), (10, "no button answers 'C'; choose from A, B"), (12, "no button answers 'Maybe'; choose from")]),
    ('    pier = Choice("Pier", choices=("North", "South"))\n    n = Number("N", minimum=1, maximum=60)\n    a = Text("A", enabled=lambda form: form.pier.value == "Nroth")\n\n    @n.changed\n    def look(self):\n        if self.n.value == 61 or self.n.value > 60 or 0 >= self.n.value or 5 < self.n.value < 60:\n            self.a.value = "x"\n\n    @check(n)\n    def few(self, n):\n        return "no" if n >= 61 else None\n',
     [(3, "pier offers no 'Nroth'; did you mean 'North'?"), (7, "n is never 61: its maximum is 60"), (7, "n is never > 60: its maximum is 60"), (7, "n is never <= 0: its minimum is 1"),
      (12, "n is never >= 61: its maximum is 60")]),
    ('    pier = Choice("Pier", choices=("North", "South"), look="radio")\n\n    @pier.typed\n    def hear(self):\n        self.pier.value = None\n',
     [(3, "F.hear never runs: with look='radio' it is picked, not typed; handle pier.changed")]),
    ('    a = Text("A")\n\n    @a.changed\n    def hear(self, event):\n        self.took(event)\n\n    def took(self, event):\n        self.a.value = "y"\n', []),
    ('    a = Text("A")\n\n    def a_changed(self):\n        self.a.value = "x"\n\n    def took(self, event):\n        self.a.value = "y"\n\n    def helper(self):\n        return 3\n',
     [(3, "F.a_changed looks like a handler, but no event runs it; put @a.changed above it"), (6, "F.took looks like a handler, but no event runs it; put @CONTROL.EVENT above it")]),
    ('    a = Text("A")\n\n    @Form.accepting\n    def never(self, event):\n        event.block("no")\n\n    @a.leaving\n    def stay(self, event):\n        event.block("no")\n',
     [(3, "F.never never runs: no button accepts the form"), (3, "F can't be accepted: F.never always blocks; block only in a condition"),
      (7, "a can't be left: F.stay always blocks; block only in a condition")]),
    ('    a = Text("A")\n    b = Text("B")\n\n    @a.hovered\n    def hover(self):\n        self.b.value = "x"\n\n    @b.changed\n    def sure(self):\n        self.inform("Changed")\n',
     [(6, "F.hover handles a.hovered and sets b, whose handler asks; a pointer handler can't wait; use self.say")]),
    ('    a = Text("A")\n    go = Button("Go")\n\n    @go.clicked\n    def take(self):\n        with open("x"), suppress(OSError):\n            self.call_elsewhere(hash, 1)\n        with open("x"):\n            self.a.value = self.call_elsewhere(str, 1)\n        try:\n            self.call_elsewhere(max, 1)\n            self.helped()\n        except (TimedOut, OSError):\n            self.call_elsewhere(min, 1)\n        try:\n            self.call_elsewhere(abs, 1)\n        except TimedOut:\n            pass\n        match self.a.value:\n            case "x":\n                try:\n                    self.call_elsewhere(sum, [])\n                except Exception:\n                    pass\n            case _:\n                self.call_elsewhere(pow, 1, 2)\n\n    def helped(self):\n        self.call_elsewhere(len, "")\n',
     [(9, "remark: take calls str elsewhere without catching its errors; catch them, or the user reads the bare error"), (14, "remark: take calls min"), (16, "remark: take calls abs"), (26, "remark: take calls pow")]),
    ('    a = Text("A", value=lambda form: form.call_elsewhere(str, 1))\n', [(1, "the rule for a.value waits for a slow call (self.call_elsewhere), which raises")]),
    ('    empty = Choice("Empty", choices=(), required=True)\n    pier = Choice("Pier", choices=("North", "South"), default="West")\n    first = Text("First", default=lambda form: form.second.value)\n    second = Text("Second", default=lambda form: form.first.value)\n',
     [(1, "empty is required and has no choices"), (2, "the default 'West' of pier isn't offered; choose from North, South"), (3, "the default of first reads second, which has no value yet")]),
    ('    a = Text("A")\n    sure = Prompt("{a}?")\n    go = Button("Go", submits=True)\n\n    @go.clicked\n    def take(self):\n        self.ask(self.sure)\n        self.inform("{vesel} is in", vessel="x")\n        self.confirm("{a}?")\n',
     [(8, "the text has '{vesel}', which isn't a control or a fact; did you mean 'vessel'?")]),
]  # fmt: skip


@pytest.mark.parametrize(("body", "expected"), FOUND, ids=[told[0][1][:40] if told else "nothing" for _, told in FOUND])
def test_what_is_found(body: str, expected: list[tuple[int, str]], tmp_path: Path) -> None:
    file = tmp_path / f"checked_{abs(hash(body))}.py"
    file.write_text(f"{HEAD}class F(Form):\n{body}{LEAVE}")
    found = list(check_file(file, "forms.py"))
    first = HEAD.count("\n") + 1
    assert len(found) == len(expected), [str(one) for one in found]
    for one, (line, message) in zip(found, expected, strict=True):
        assert str(one).startswith(f"forms.py:{line + first}: {message}")


def test_forms_custom_events_and_imports(tmp_path: Path) -> None:
    text = f"{HEAD}{OTHER}class Child(Form):\n    chosen = CustomEvent(str)\n{LEAVE}\n\nclass Opens(Form):\n    @Child.chosen\n    def took(self, event):\n        pass\n\n    @Form.opened\n    def begin(self):\n        self.show(Child)\n\n\nx = nothing_such\n"
    (tmp_path / "more_forms.py").write_text(text)
    (tmp_path / "use.cues").write_text("form more_forms:Opens\npress leave\n")
    assert [str(one).partition(": ")[2] for one in check_file(tmp_path / "more_forms.py")] == [
        "form Other is never opened; open it with self.open(Other), in a scene or in a cue sheet",
        "Opens.took never runs: Child doesn't send chosen; send it with self.chosen.send(…)",
        "can't import: NameError: name 'nothing_such' is not defined",
    ]


def test_forms_that_are_opened_and_read_by_wrong_names(tmp_path: Path) -> None:
    text = f"{HEAD.replace('Prompt,', 'Param, Prompt,')}class Asked(Form):\n    tariff: int = Param()\n    name = Text('Name')\n{LEAVE}\n\nclass Opens(Form, at_start=True):\n    go = Button('Go')\n{LEAVE}\n    @go.clicked\n    def ask_it(self):\n        outcome = self.open(Asked, tarif=3)\n        self.say(outcome.values['nmae'])\n        self.show(Asked, tariff=3)\n"
    (tmp_path / "wrong_names.py").write_text(text)
    assert [str(one).partition(": ")[2] for one in check_file(tmp_path / "wrong_names.py")] == [
        "Asked has no parameter 'tarif'; did you mean 'tariff'?",
        "Asked is opened without its parameter 'tariff'; pass tariff=…",
        "the outcome of Asked has no 'nmae'; did you mean 'name'?",
    ]


def test_a_wrong_declaration_and_wrong_code_are_told_together(tmp_path: Path) -> None:
    text = f"{HEAD}class F(Form):\n    a = Text('A', maxlength=3)\n    b = Choice('B', choices=('x', 'y'))\n{LEAVE}\n    @b.changed\n    def look(self):\n        if self.b.value == 'z':\n            self.a.value = 'w'\n"
    (tmp_path / "together.py").write_text(text)
    told = [one.problem for one in check_file(tmp_path / "together.py")]
    assert told == ["Text('A'): unknown option 'maxlength'", "b offers no 'z'"]


def test_the_examples_are_in_order() -> None:
    result = CliRunner().invoke(main, ["check", *(str(ROOT / "examples" / each) for each in ("saltmarsh", "small", "ways"))])
    assert (result.exit_code, result.output.splitlines()[-1].partition(": ")[2]) == (0, "no problems")
