"""The looks of a page that a host may choose: colours, corners, density and a logo.

A theme is checked when it is made: texts must have a contrast of 4.5:1 and edges one of 3:1 with what they lie on, in
light and in the dark, by the formula of WCAG 2.2 (relative luminance). Other colours of the page are mixed from the chosen
ones, as light or dark as that needs. It is served as a style sheet of its own, after the page's.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, fields
from pathlib import Path
from typing import Final, Literal, TypeAlias

from fuselatch.core.model.errors import FuseLatchError
from fuselatch.core.model.json_text import Plain
from fuselatch.core.model.names import suggest
from fuselatch.core.model.pictures import Picture
from fuselatch.core.model.values import short

Colour: TypeAlias = str | tuple[str, str]
"""A colour as "#rrggbb", or two: in light, and in the dark."""
Parts: TypeAlias = tuple[int, int, int]

HEX: Final = re.compile(r"#[0-9a-fA-F]{6}")
TEXT, EDGE = 4.5, 3.0
"""The least contrast of texts, and of edges (WCAG 2.2, 1.4.3 and 1.4.11)."""
COLOURS: Final[Mapping[str, tuple[str, str]]] = {
    "accent": ("#1f5f6b", "#7cc4d0"),
    "ground": ("#eceff1", "#12191d"),
    "paper": ("#ffffff", "#1c262b"),
    "ink": ("#1d2a30", "#e6edf0"),
}
"""The colours that can be chosen, with the usual ones."""
TOLD: Final = {"refuse": ("#a3222a", "#ff9d95"), "warn": ("#7a5200", "#f0c46a"), "warn-ground": ("#fff4d9", "#3a2f14")}
"""The colours of what is refused or warned of, which can't be chosen: on light paper, and on dark."""
DENSITIES: Final[Mapping[str, tuple[str, str]]] = {
    "usual": (".7rem", ".38rem"),
    "dense": (".4rem", ".2rem"),
    "roomy": ("1.1rem", ".55rem"),
}
"""The space between rows, and that within entries, for each density."""


class ThemeError(FuseLatchError, ValueError):
    """A theme that can't be used: which value is wrong, and what would be right."""


@dataclass(frozen=True, kw_only=True)
class Theme:
    """The looks of a page: `Theme(accent="#7a2e5d", radius=2, density="dense", logo=Path("logo.svg"))`.

    `accent`: buttons, links and picks. `ground`: behind the forms. `paper`: the forms. `ink`: their text. Each is "#rrggbb",
    or two for light and dark. `radius`: how round corners are, in pixels, 0 to 16. `density`: usual, dense or roomy. `logo`:
    a PNG, JPEG, GIF or SVG file, or a `Picture`; `logo_text`: its words for who can't see it.

    Raises `ThemeError` for a wrong value, also if a colour can't be told from what it lies on.
    """

    accent: Colour = COLOURS["accent"]
    ground: Colour = COLOURS["ground"]
    paper: Colour = COLOURS["paper"]
    ink: Colour = COLOURS["ink"]
    radius: int = 6
    density: Literal["usual", "dense", "roomy"] = "usual"
    logo: Path | Picture | None = None
    logo_text: str = ""

    def __post_init__(self) -> None:
        if type(self.radius) is not int or not 0 <= self.radius <= 16:
            raise ThemeError(f"radius must be a number of pixels from 0 to 16, not {short(self.radius)}")
        if self.density not in DENSITIES:
            raise ThemeError(f"unknown density {short(self.density)}; {suggest(str(self.density), DENSITIES)}")
        if not isinstance(self.logo_text, str):
            raise ThemeError(f"logo_text must be text, not {short(self.logo_text)}")
        if self.logo is not None and not isinstance(self.logo, Path | Picture):
            raise ThemeError(f"logo must be a file (a Path) or a Picture, not {short(self.logo)}")
        for dark in (False, True):
            chosen = {name: colour_of(name, getattr(self, name), dark) for name in COLOURS}
            must_be_told_apart(chosen, " in the dark (a colour may be two, for light and dark)" if dark else "")

    @staticmethod
    def read(file: Path | str) -> Theme:
        """Return the theme in a TOML file: its values by name; a logo is looked for from the file's folder.

        Raises `ThemeError` and `OSError`.
        """
        path = Path(file)
        try:
            given = tomllib.loads(path.read_text(encoding="utf-8"))
        except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
            raise ThemeError(f"{path}: {error}") from None
        names = [each.name for each in fields(Theme)]
        unknown = next((name for name in given if name not in names), None)
        if unknown is not None:
            raise ThemeError(f"{path}: unknown value '{unknown}'; {suggest(unknown, names)}")
        values: Plain = {name: tuple(value) if isinstance(value, list) else value for name, value in given.items()}
        if isinstance(values.get("logo"), str):
            values["logo"] = path.parent / values["logo"]
        try:
            return Theme(**values)
        except ThemeError as error:
            raise ThemeError(f"{path}: {error}") from None

    def picture(self) -> Picture | None:
        """Return the logo. Raises `ThemeError` and `OSError`."""
        if not isinstance(self.logo, Path):
            return self.logo
        try:
            return Picture(self.logo.read_bytes())
        except ValueError as error:
            raise ThemeError(f"{self.logo}: {error}") from None

    def style(self) -> str:
        """Return the theme as a style sheet."""
        gap, pad = DENSITIES[self.density]
        light, dark = (self._colours(is_dark) for is_dark in (False, True))
        sizes = f"--radius: {self.radius}px; --gap: {gap}; --pad: {pad};"
        return (
            f":root {{ {sizes} }}\n"
            f"@media screen {{ :root {{ {light} }} }}\n"
            f"@media screen and (prefers-color-scheme: dark) {{ :root {{ {dark} }} }}\n"
        )

    def _colours(self, dark: bool) -> str:
        chosen = {name: colour_of(name, getattr(self, name), dark) for name in COLOURS}
        paper, ink, accent = chosen["paper"], chosen["ink"], chosen["accent"]
        at = 0 if contrast(parts_of(TOLD["refuse"][0]), paper) >= TEXT else 1
        made = {
            **{name: in_hex(chosen[name]) for name in ("ground", "paper", "ink")},
            "field": in_hex(paper),
            "deep": in_hex(accent),
            "on-deep": max(("#ffffff", "#101010"), key=lambda one: contrast(parts_of(one), accent)),
            "focus": in_hex(accent),
            "quiet": in_hex(mixed(ink, paper, TEXT, chosen["ground"])),
            "edge": in_hex(mixed(ink, paper, EDGE, paper)),
            "line": in_hex(mix(ink, paper, 0.25)),
            "picked": in_hex(mix(accent, paper, 0.16)),
            **{name: pair[at] for name, pair in TOLD.items()},
        }
        return " ".join(f"--{name}: {value};" for name, value in made.items())


def must_be_told_apart(chosen: Mapping[str, Parts], where: str) -> None:
    """Refuse colours that can't be told from what they lie on."""
    for name, behind in (("ink", "paper"), ("ink", "ground"), ("accent", "paper"), ("accent", "ground")):
        found = contrast(chosen[name], chosen[behind])
        if found < TEXT:
            pair = f"{name} {in_hex(chosen[name])} on {behind} {in_hex(chosen[behind])}"
            raise ThemeError(f"{pair} has a contrast of {found:.1f}:1{where}; texts need {TEXT}:1")
    paper = chosen["paper"]
    for light, dark in (TOLD["refuse"], TOLD["warn"]):
        if max(contrast(parts_of(light), paper), contrast(parts_of(dark), paper)) < TEXT:
            raise ThemeError(f"paper {in_hex(paper)}{where} is neither light nor dark: markers can't be read on it")


def colour_of(name: str, given: object, dark: bool) -> Parts:
    """Return a chosen colour, in light or in the dark. Raises `ThemeError`."""
    pair = given if isinstance(given, tuple) else (given, given)
    if len(pair) != 2 or not all(isinstance(one, str) and HEX.fullmatch(one) for one in pair):
        raise ThemeError(f"{name} must be a colour as '#1f5f6b', or two for light and dark, not {short(given)}")
    return parts_of(str(pair[dark]))


def parts_of(colour: str) -> Parts:
    """Return red, green and blue, each 0 to 255, of a colour as "#rrggbb"."""
    red, green, blue = bytes.fromhex(colour[1:])
    return red, green, blue


def in_hex(parts: Parts) -> str:
    """Return a colour as "#rrggbb"."""
    return f"#{bytes(parts).hex()}"


def luminance(parts: Parts) -> float:
    """Return the relative luminance of a colour, 0 to 1 (WCAG 2.2)."""
    red, green, blue = ((one / 255 / 12.92) if one <= 10 else ((one / 255 + 0.055) / 1.055) ** 2.4 for one in parts)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def contrast(one: Parts, other: Parts) -> float:
    """Return the contrast of two colours, 1 to 21 (WCAG 2.2)."""
    low, high = sorted((luminance(one), luminance(other)))
    return (high + 0.05) / (low + 0.05)


def mix(one: Parts, other: Parts, share: float) -> Parts:
    """Return a colour between two; `share`: of the first, 0 to 1."""
    red, green, blue = (round(a * share + b * (1 - share)) for a, b in zip(one, other, strict=True))
    return red, green, blue


def mixed(ink: Parts, paper: Parts, least: float, behind: Parts) -> Parts:
    """Return the quietest mix of ink and paper that can be told from the paper and the ground."""
    shares = (share / 100 for share in range(30, 101, 2))
    fits = (mix(ink, paper, share) for share in shares)
    return next((one for one in fits if min(contrast(one, paper), contrast(one, behind)) >= least), ink)
