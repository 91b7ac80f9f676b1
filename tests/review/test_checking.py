"""Checking before running: the problems in a file of forms, all found at once."""

from __future__ import annotations

import json
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
    (
        '    a = Text("A", enabled=False)\n\n    @a.left\n    def gone(self):\n        pass\n',
        [(3, "F.gone never runs: a is never enabled; set a.enabled in a rule or handler")],
    ),
    (
        "    @Form.submitted\n    def done(self):\n        pass\n",
        [(1, 'F.done never runs: no button accepts the form; add a button with closes="accepted" or submits=True')],
    ),
    (
        "    @Form.record_shown\n    def shown(self):\n        pass\n",
        [(1, "F.shown never runs: the form isn't bound to records; add records=\"…\" to the class")],
    ),
    (
        '    a = Text("A")\n\n    @a.hovered\n    def hover(self):\n        self.helped()\n\n    def helped(self):\n        self.ask("sure?")\n',
        [(8, "F.hover handles a.hovered and waits for the user (self.ask); a pointer handler can't wait; use self.say")],
    ),
    (
        '    @Form.closing\n    def stay(self, event):\n        """Never lets go."""\n        event.block("no")\n',
        [(1, "F can't be closed: F.stay always blocks; block only in a condition")],
    ),
    ('    @Form.closing\n    def stay(self, event):\n        if self.title:\n            event.block("no")\n', []),
    (
        '    a = Number("A", required=lambda form: form.aa.value > 3)\n',
        [(1, "F has no 'aa'; did you mean 'a'?")],
    ),
    (
        '    a = Number("A")\n\n    @a.changed\n    def raise_it(self):\n        self.a.valeu = 3\n',
        [(5, "F.a has no 'valeu'; did you mean 'value'?")],
    ),
    (
        '    a = Number("A")\n    b = Text("B", enabled=lambda form: form.look())\n\n    def look(self):\n        self.a.value = 3\n        return True\n',
        [(5, "the rule for b.enabled sets a.value, which raises an error when it runs; set it in a handler")],
    ),
    (
        '    a = Number("A")\n\n    @check(a)\n    def sure(self, a):\n        return None if self.confirm("sure?") else "no"\n',
        [(5, "the check sure waits for the user (self.confirm), which raises an error when it runs; ask in a handler")],
    ),
    (
        '    a = Text("A", maxlength=3)\n    b = Number("B", minimum=9, maximum=3)\n    b2 = Button("B2", keys="Bogus+Q")\n\n    @check(a)\n    def short(self, a):\n        return None\n',
        [
            (1, "Text('A'): unknown option 'maxlength'; choose from column"),
            (2, "Number('B'): minimum 9.0 is greater than maximum 3.0"),
            (3, "Button('B2'): keys:"),
        ],
    ),
    (
        '    a = Text("A")\n    say = Text("Say")\n    close = Text("Close")\n',
        [(2, "F.say"), (3, "F.close")],
    ),
    (
        '    a = Number("A")\n    b = Text("B", default="x", visible=lambda form: False)\n    c = Text("C", default="x")\n    d = Number("D", enabled=False)\n\n    @Form.opened\n    def begin(self):\n        self.a.value = 7\n        self.a.enabled = False\n        self.d.value = 3\n        self.d.enabled = False\n        if self.a.value:\n            self.c.visible = False\n',
        [
            (1, "the value of F.a never leaves the form: begin disables it for good; declare it visible=False"),
            (2, "the value of F.b never leaves the form: its rule for visible always hides it; declare it visible=False"),
        ],
    ),
]  # fmt: skip


@pytest.mark.parametrize(("body", "expected"), FOUND, ids=[told[0][1][:30] if told else "nothing" for _, told in FOUND])
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


def test_the_examples_are_in_order() -> None:
    result = CliRunner().invoke(main, ["check", str(ROOT / "examples" / "marina"), str(ROOT / "examples" / "ways")])
    assert (result.exit_code, result.output.splitlines()[-1].partition(": ")[2]) == (0, "no problems")


def test_the_command_tells_machines_and_unreadable_files(tmp_path: Path) -> None:
    (tmp_path / "bad.py").write_text("def x(:\n")
    (tmp_path / "ends.py").write_text("import sys\nprint('told')\nsys.exit(3)\n")
    result = CliRunner().invoke(main, ["check", str(tmp_path), "--json"])
    assert result.exit_code == 1
    problems = json.loads(result.stdout)["problems"]
    assert [one["problem"] for one in problems[1:]] == ["can't import: SystemExit: 3"]
    assert problems[0] | {"file": ""} == {
        "file": "", "line": 1, "kind": "import", "problem": "not valid Python: invalid syntax", "mend": "",
    }  # fmt: skip
    assert CliRunner().invoke(main, ["check", str(tmp_path / "none.py")]).exit_code == 2
