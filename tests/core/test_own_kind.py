"""A new kind of control, declared in this file alone."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path
from typing import Any, ClassVar

from fuselatch import Button, Form
from fuselatch.cli import main
from fuselatch.frontends import Formats
from fuselatch.kinds import InputControl, LiveInput, Source, Unparsable
from fuselatch.report.schema import form_schema
from fuselatch.review.generating import from_function


@dataclass(frozen=True)
class Rgb:
    """A colour."""

    code: str


class Colour(InputControl[LiveInput[Rgb | None, Rgb], Rgb | None, Rgb]):
    """A field for a colour, typed as #rrggbb."""

    kind = "colour"
    named = "a colour field"
    live = LiveInput
    typed = Source("typed")
    example = "#003366"
    generated_for = Rgb
    json: ClassVar[dict[str, Any]] = {"type": "string", "pattern": "^#[0-9a-f]{6}$"}

    def coerce(self, value: object) -> Rgb | None:
        if value is None or isinstance(value, Rgb):
            return value
        raise TypeError(f"expected a colour, not {value!r}")

    def parse(self, text: str, live: Any, formats: Formats) -> Rgb:
        if re.fullmatch("#[0-9a-f]{6}", text):
            return Rgb(text)
        raise Unparsable(f"Not a colour: {text}. Example: #003366")

    def show(self, value: Rgb, formats: Formats) -> str:
        return value.code


class Sail(Form):
    """The colour of a sail."""

    hue = Colour("Hue", required=True)
    ok = Button("OK", closes="accepted")


def painted(hue: Rgb) -> None:
    """Paint a sail."""


def test_a_new_kind_is_exported_generated_and_described(capsys: Any, tmp_path: Path) -> None:
    assert form_schema(Sail)["properties"] == {"hue": {"title": "Hue", **Colour.json}}
    source = from_function(painted, "painted").source
    assert "from tests.core.test_own_kind import Colour" in source and 'hue = Colour("Hue", ' in source
    for words in (
        ["describe", f"{__name__}:Sail"],
        ["describe", f"{__name__}:Sail", "--picture", str(tmp_path / "sail.png")],
    ):
        main(words, standalone_mode=False)
    assert "  hue  colour  'Hue'" in capsys.readouterr().out and (tmp_path / "sail.png").stat().st_size > 1000
