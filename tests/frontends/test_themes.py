"""Themes: checked when they are made, and legible whatever is chosen."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fuselatch import Form, Text, Theme, ThemeError
from fuselatch.frontends.page.themes import contrast, parts_of
from fuselatch.scenes import Scene
from tests.frontends.conftest import showing

LOGO = b"<svg xmlns='http://www.w3.org/2000/svg' width='120' height='40'><rect width='120' height='40'/></svg>"


class Note(Form, title="Note"):
    text = Text("Text", help="of any length")


@pytest.mark.parametrize(
    ("given", "message"),
    [
        ({"accent": "red"}, "accent must be a colour as '#1f5f6b', or two for light and dark, not 'red'"),
        ({"accent": ("#1f5f6b",)}, "accent must be a colour"),
        ({"accent": "#ffcc00"}, "accent #ffcc00 on paper #ffffff has a contrast of 1.5:1; texts need 4.5:1"),
        ({"accent": "#1f5f6b"}, r"in the dark \(a colour may be two, for light and dark\); texts need"),
        ({"paper": "#777777", "ink": "#000000", "accent": "#000000"}, "paper #777777 is neither light nor dark"),
        ({"radius": 40}, "radius must be a number of pixels from 0 to 16, not 40"),
        ({"density": "roomie"}, "unknown density 'roomie'; did you mean 'roomy'"),
        ({"logo": "logo.svg"}, r"logo must be a file \(a Path\) or a Picture, not 'logo.svg'"),
        ({"logo_text": 3}, "logo_text must be text, not 3"),
    ],
)
def test_a_theme_that_can_not_be_used_says_what_would_be_right(given: Any, message: str) -> None:
    with pytest.raises(ThemeError, match=message):
        Theme(**given)


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("acent = '#1f5f6b'", "theme.toml: unknown value 'acent'; did you mean 'accent'"),
        ("radius = ", "theme.toml: Invalid value"),
        ("radius = 40", "theme.toml: radius must be"),
    ],
)
def test_a_file_that_can_not_be_used_is_named(tmp_path: Path, text: str, message: str) -> None:
    file = tmp_path / "theme.toml"
    file.write_text(text, encoding="utf-8")
    with pytest.raises(ThemeError, match=message):
        Theme.read(file)


COLOUR = st.integers(0, 0xFFFFFF).map("#{:06x}".format)


@given(COLOUR, COLOUR, COLOUR, COLOUR)
def test_whatever_is_chosen_can_be_read_or_is_refused(accent: str, ground: str, paper: str, ink: str) -> None:
    try:
        theme = Theme(accent=accent, ground=ground, paper=paper, ink=ink)
    except ThemeError:
        return
    for part in theme.style().split("@media")[1:]:
        of = {name: parts_of(value) for name, value in re.findall(r"--([\w-]+): (#\w{6})", part)}
        for text, behind in (
            ("ink", "paper"),
            ("quiet", "paper"),
            ("deep", "paper"),
            ("on-deep", "deep"),
            ("refuse", "paper"),
        ):
            assert contrast(of[text], of[behind]) >= 4.5, (text, behind)
        assert contrast(of["edge"], of["paper"]) >= 3


def test_a_theme_is_a_style_sheet_of_its_own_that_a_page_wears(browser: Any, tmp_path: Path) -> None:
    tmp_path.joinpath("logo.svg").write_bytes(LOGO)
    file = tmp_path / "theme.toml"
    file.write_text(
        "accent = ['#7a2e5d', '#e59ac8']\nradius = 0\ndensity = 'dense'\nlogo = 'logo.svg'\nlogo_text = 'Saltmarsh'\n",
        encoding="utf-8",
    )
    with showing(browser, Scene(Note), theme=Theme.read(file)) as shown:
        page = shown.page
        assert page.evaluate("getComputedStyle(document.body).getPropertyValue('--deep')") == "#7a2e5d"
        assert page.evaluate("getComputedStyle(document.querySelector('.form')).borderRadius") == "0px"
        assert page.evaluate("document.querySelector('img[alt=Saltmarsh]').naturalWidth") == 120
        page.emulate_media(color_scheme="dark")
        assert page.evaluate("getComputedStyle(document.body).getPropertyValue('--deep')") == "#e59ac8"
    tmp_path.joinpath("logo.svg").write_bytes(b"no picture")
    with pytest.raises(ThemeError, match=r"logo\.svg: not a picture that can be shown"):
        Theme.read(file).picture()
