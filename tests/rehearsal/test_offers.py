"""Forms that open by name or shortcut, and services with their stand-ins."""

from __future__ import annotations

import errno
from datetime import date, datetime
from decimal import Decimal
from email import message_from_bytes
from email.message import EmailMessage
from email.policy import default
from pathlib import Path
from unittest.mock import patch
from xml.etree.ElementTree import Element, SubElement, fromstring

import pytest
from saltmarsh.papers import Stay, confirmation

from fuselatch import Button, DeclarationError, Form, NotAllowedHere, Param, Refused, Text, UnknownName
from fuselatch.frontends import Session
from fuselatch.rehearsal import Desk, rehearse
from fuselatch.scenes import Scene
from fuselatch.services import DrawingBoard, Drawings, LetterBox, Letters, Services, letter_bytes
from tests.helpers import act


class Tides(Form, title="Tides", keys="ctrl+t"):
    """Note when the water is high."""

    spot: str = Param(default="quay")
    note = Text("Note")
    ask_it = Button("Ask")
    aside = Button("Hide")
    dialog = Button("Dialog")

    @ask_it.clicked
    def ask_something(self) -> None:
        self.inform("High at noon")

    @aside.clicked
    def go_aside(self) -> None:
        self.hide()

    @dialog.clicked
    def open_dialog(self) -> None:
        self.open(Plain)


class Plain(Form):
    note = Text("Note")
    done = Button("Done", closes="cancelled")


def test_a_form_opens_by_name_or_shortcut_and_one_that_is_open_comes_to_the_front() -> None:
    desk = Desk(Scene(user="imke", forms={Tides: {"spot": "mole"}, Plain: {}}))
    with desk:
        assert [(one.name, one.keys, one.purpose) for one in desk.session.view.offers] == [
            ("Tides", "Ctrl+T", "Note when the water is high."),
            ("Plain", "", ""),
        ]
        with pytest.raises(Refused, match="all forms are closed"):
            desk.press("note")
        with pytest.raises(NotAllowedHere, match="no form is open yet"):
            desk.session.first  # noqa: B018
        desk.key("Ctrl+T")
        tides = desk.at(Tides)
        assert tides.spot == "mole" and desk.session.first is tides and desk.outcome is None
        act(desk, "open Plain", "key ctrl+t")
        assert desk.form is tides and len(desk.session.forms) == 2
        desk.press("ask_it")
        with pytest.raises(Refused, match="a prompt is open"):
            desk.open("Plain")
        act(desk, "key Ctrl+T", "answer OK", "press dialog")
        with pytest.raises(Refused, match="Plain is in front"):
            desk.open("Tides")
        desk.key("Ctrl+T")
        assert desk.session.view.notice == "Ctrl+T: Plain is open in front"
        act(desk, "close", "press Tides.aside", "open Tides")
        assert desk.form is tides
        with pytest.raises(UnknownName, match="unknown form 'Tide'; did you mean 'Tides'"):
            desk.open("Tide")
        act(desk, "open Plain", "close")
    with rehearse(Plain) as desk, pytest.raises(UnknownName, match="open it with forms="):
        desk.open("Tides")


def test_clashes_are_errors() -> None:
    class Other(Form, keys="Ctrl+T"):
        """Use another form's shortcut."""

    class Button1(Form):
        go = Button("Go", keys="Ctrl+T")

    class First(Form, at_start=True):
        """Open at start."""

    class Second(Form, at_start=True):
        """Also open at start."""

    class Tides2(Tides):
        """A form of the same name as another, once renamed."""

    Tides2._plan.name = "Tides"
    for forms, error in (
        ((Tides, Other), "shortcut Ctrl\\+T opens both Tides and Other"),
        ((Tides, Button1), "shortcut Ctrl\\+T opens Tides and is also used by Button1.go"),
        ((First, Second), "Second and First both have at_start=True"),
        ((Tides, Tides2), "two forms are named Tides"),
    ):
        with pytest.raises(DeclarationError, match=error):
            Session(forms=forms)
    with pytest.raises(DeclarationError, match=r"is also used by Button1\.go"):
        Session(Button1, forms=[Tides])
    with pytest.raises(TypeError, match="a session needs a form"):
        Session()
    with Session(forms=[Tides, First]) as session:
        assert type(session.front) is First
    with pytest.raises(DeclarationError, match=r"class Wrong: keys: .*Ctrll"):

        class Wrong(Form, keys="Ctrll+T"):
            """No such key."""


def letter(**headers: str) -> EmailMessage:
    """A letter with these headers."""
    made = EmailMessage()
    for name, text in headers.items():
        made[name] = text
    made.set_content("Berth N7 is yours.\n")
    return made


def test_services_are_typed_and_stand_ins_keep_and_write_what_they_are_given(tmp_path: Path) -> None:
    box, board = LetterBox(tmp_path), DrawingBoard(tmp_path)
    services = Services({Letters: box, Drawings: board})
    services[Letters].send(letter(To="imke@mail.example", Subject="Berth N7 / Eider"))
    services[Drawings].draw("plan 1", Element("svg", width="10"))
    assert sorted(file.name for file in tmp_path.iterdir()) == ["0001-berth-n7-eider.eml", "plan-1.svg"]
    raw = (tmp_path / "0001-berth-n7-eider.eml").read_bytes()
    assert b"Subject: Berth N7 / Eider\r\n" in raw and b"\r\n\r\nBerth N7 is yours.\r\n" in raw
    assert board.drawings == {"plan 1": '<svg width="10" xmlns="http://www.w3.org/2000/svg" />'}
    assert (tmp_path / "plan-1.svg").read_text() == board.drawings["plan 1"]
    assert list(services) == [Letters, Drawings] and Letters in services
    with pytest.raises(ValueError, match="the letter has no To"):
        box.send(letter(Subject="x"))
    with pytest.raises(TypeError, match=r"expected email.message.EmailMessage, not str"):
        box.send("x")  # type: ignore[arg-type]
    with pytest.raises(ValueError, match="expected an <svg> element, not <p>"):
        board.draw("x", Element("p"))
    with pytest.raises(NotImplementedError, match="Letters"):
        Letters().send(letter())
    with pytest.raises(NotImplementedError, match="Drawings"):
        Drawings().draw("x", Element("svg"))
    with pytest.raises(UnknownName, match="has no service Tides; choose from Letters, Drawings"):
        services[Tides]
    with pytest.raises(TypeError, match="services must be a mapping"):
        Services({Letters: "x"})
    with pytest.raises(UnknownName, match="has no service Letters; open it with services="):
        Services({})[Letters]


@pytest.mark.parametrize(
    ("headers", "message"),
    [
        ({"Subject": "=?utf-8?q?a=0ABcc:_x@evil.example?="}, "the letter's Subject has a control character \\(U\\+000A\\): 'a⏎Bcc"),
        ({"Subject": "a\x00b"}, "Subject has a control character \\(U\\+0000\\): 'a␀b'"), ({"Subject": "\x1b[2J"}, "Subject has a control character"),
        ({"To": "imke"}, "the letter's To isn't an address: 'imke'"), ({"To": "Imke <imke@mail.example>, Bob"}, "the letter's To isn't an address"),
        ({"Cc": "a b@mail.example"}, "the letter's Cc isn't an address"),
        ({"To": "imke@mail.example\x1b"}, "the letter's To has a control character"),
    ],
)  # fmt: skip
def test_a_letter_says_what_it_seems_to_say_or_is_not_sent(headers: dict[str, str], message: str) -> None:
    box = LetterBox()
    made = letter(**{"To": "imke@mail.example", "Subject": "Berth", **headers})
    with pytest.raises(ValueError, match=message):
        box.send(made)
    assert box.letters == []
    made = letter(To="imke@mail.example", Subject="Berth")
    made.set_content("\x1b[2J")
    with pytest.raises(ValueError, match="the letter's text has a control character"):
        box.send(made)


def test_a_name_from_a_table_adds_no_recipient() -> None:
    stay = Stay("Long Reach\n", 17.2, "Bob <x@evil.example>, ", "W8", date(2031, 5, 4), 2, Decimal(3))
    sent = message_from_bytes(letter_bytes(confirmation(stay, datetime(2031, 5, 4))), policy=default)
    assert [each.addr_spec for each in sent["To"].addresses] == ["long.reach@mail.example"]
    assert sent["To"].addresses[0].display_name == "Bob <x@evil.example>,"


def test_no_session_overwrites_what_another_has_written(tmp_path: Path) -> None:
    made = letter(To="imke@mail.example", Subject="Berth")
    for text in ("one", "two"):
        LetterBox(tmp_path).send(made)
        board = DrawingBoard(tmp_path)
        for again in (text, f"{text} again"):
            drawing = Element("svg")
            SubElement(drawing, "text", {"id": "a\x1bb"}).text = f"{again}\x00\x1b[2J\n"
            board.draw("plan", drawing)
    assert sorted(file.name for file in tmp_path.iterdir()) == [
        "0001-berth-2.eml",
        "0001-berth.eml",
        "plan-2.svg",
        "plan.svg",
    ]
    assert [fromstring((tmp_path / name).read_text())[0].text for name in ("plan.svg", "plan-2.svg")] == [
        "one again␀␛[2J\n", "two again␀␛[2J\n",
    ]  # fmt: skip
    with patch("os.link", side_effect=OSError(errno.EPERM, "no links")):
        LetterBox(tmp_path).send(made)
    assert (tmp_path / "0001-berth-3.eml").read_bytes() == (tmp_path / "0001-berth.eml").read_bytes()
