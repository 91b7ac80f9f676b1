"""Policies: the office's texts and levels, and the errors for a file that fits no form."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from fuselatch import Button, Choice, DeclarationError, Finding, Form, Group, Integer, Number, Prompt, Text, check, warn
from fuselatch.frontends import Session
from fuselatch.policy import Policy, PolicyError


class Address(Group):
    """A group with a prompt and a check of its own."""

    street = Text("Street", required=True)

    @check(street)
    def short(self, street: str) -> str | None:
        return "too short" if len(street) < 3 else None


class Haul(Form, title="Haul out"):
    """Ask before a boat is lifted."""

    boat = Text("Boat", required=True, max_length=9)
    tons = Number("Tons", maximum=20)
    crane = Choice("Crane", choices=("small", "large"))
    home = Address("Home", visible=False)
    got = Text("Got")
    lift = Button("Lift")
    ok = Button("OK", closes="accepted")

    sure = Prompt("Lift {boat}, {tons} t, with {people} people?", buttons=("Lift", "Wait"), default="Wait", title="Lift")

    @check(tons)
    def heavy(self, tons: float) -> Finding | None:
        return warn("heavy") if tons > 10 else None

    @lift.clicked
    def lift_it(self) -> None:
        self.got.value = self.ask(self.sure, people=3)


@pytest.mark.parametrize(
    ("text", "error"),
    [
        ("[Haul", r"office.toml: not valid TOML: Expected ']'"),
        ("Haul = 3", r"office.toml: \[Haul\] must be a table"),
        ("[Haul.promts]", r"\[Haul\] has no key 'promts'; did you mean 'prompts'"),
        ("[Haul.prompts.sure]\ntone = 'x'", r"\[Haul.prompts.sure\] has no key 'tone'; choose from text, title, buttons"),
        ("[Haul.prompts.sure]\ntitle = 3", "title must be text, not 3"),
        ("[Haul.prompts.sure]\nbuttons = {Lift = ''}", "the new caption of 'Lift' must be text, not ''"),
        ("[Haul.checks]\nheavy = 'warning'", r"\[Haul.checks\] heavy must be 'refuse' or 'warn', not 'warning'"),
        ("[Hual.checks]\nheavy = 'warn'", r"\[Hual\] no imported form has this name; did you mean 'Haul'"),
        ("[Haul.prompts.shure]\ntext = 'x'", r"\[Haul.prompts.shure\] Haul has no such prompt; did you mean 'sure'"),
        ("[Haul.prompts.sure]\nbuttons = {Lif = 'Up'}", "no button 'Lif'; did you mean 'Lift'"),
        ("[Haul.prompts.sure]\nbuttons = {Lift = 'Wait'}", "1 to 4 different captions"),
        ("[Haul.prompts.sure]\ntext = '{bost}'", "text uses '{bost}', which is neither a fact of this prompt nor a control; did you mean 'boat'"),
        ("[Haul.checks]\nhevy = 'warn'", "Haul has no check 'hevy'; did you mean 'heavy'"),
        ("[Haul.checks]\n'tons.minimum' = 'warn'", "Haul has no check 'tons.minimum'; did you mean 'tons.maximum'"),
    ],
)  # fmt: skip
def test_what_does_not_fit_is_said_with_the_closest_right_name(text: str, error: str, tmp_path: Path) -> None:
    path = tmp_path / "office.toml"
    path.write_text(text, encoding="utf-8")
    with pytest.raises(PolicyError, match=error) as raised:
        Session(Haul, policy=Policy.load(path))
    assert "\n" not in str(raised.value)


def test_a_file_that_is_not_there_or_no_text(tmp_path: Path) -> None:
    with pytest.raises(PolicyError, match=r"nowhere\.toml: No such file"):
        Policy.load(tmp_path / "nowhere.toml")
    (tmp_path / "x.toml").write_bytes(b"\xff\xfe")
    with pytest.raises(PolicyError, match="not valid UTF-8"):
        Policy.load(tmp_path / "x.toml")


def test_a_fact_that_nothing_passes_is_found_when_the_class_is_made() -> None:
    with pytest.raises(DeclarationError, match=r"Wrong.sure: '{peple}' isn't a control, and no ask.* did you mean 'people'"):

        class Wrong(Form):
            sure = Prompt("{peple}?")
            go = Button("Go")

            @go.clicked
            def ask_it(self) -> None:
                self.ask(self.sure, people=3)

    class Elsewhere(Form):
        """Calls whose facts can't be read from the code."""

        spread = Prompt("{peple}?")
        unasked = Prompt("{peple}?")
        depth = Integer("Depth")
        go = Button("Go")

        @go.clicked
        def ask_it(self) -> None:
            facts: Any = {"peple": 3}
            self.ask(self.spread, **facts)
