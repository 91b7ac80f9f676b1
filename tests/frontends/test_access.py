"""Pages for everyone: no rule of axe is broken in any state of the marina's forms, and the keyboard alone is enough."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from fuselatch.rehearsal.loading import importing_from
from tests.frontends.conftest import showing
from tests.frontends.test_page import EXAMPLES, Player

AXE = Path(__file__).parent / "web/node_modules/axe-core/axe.min.js"
WAYS: list[dict[str, Any]] = [
    {"color_scheme": "light"},
    {"color_scheme": "dark"},
    {"viewport": {"width": 320, "height": 800}},
    {"forced_colors": "active"},
]


def broken(page: Any) -> list[str]:
    """Return the rules that the page breaks, and where."""
    page.evaluate(f"window.axe || {{}};{AXE.read_text()}")
    found = page.evaluate("axe.run(document, { resultTypes: ['violations'] })")
    return [f"{each['id']}: {node['html'][:160]}" for each in found["violations"] for node in each["nodes"]]


STEPS: dict[str, list[tuple[str, ...]]] = {
    "quiet_monday": [
        ("press", "book"), ("type", "vessel", "Eider"), ("type", "length", "abc"), ("tab",), ("clear", "length"), ("type", "length", "9"),
        ("type", "nights", "40"), ("pick", "pier", "North"), ("list", "berth"), ("key", "Escape"), ("press", "find"), ("answer?",),
    ],
    "office": [],
    "searching": [],
}  # fmt: skip


@pytest.mark.parametrize("way", WAYS, ids=["light", "dark", "narrow", "forced colours"])
@pytest.mark.parametrize("name", STEPS)
def test_no_rule_is_broken_in_any_state(name: str, way: dict[str, Any], browser: Any) -> None:
    with importing_from([EXAMPLES]):
        from marina import scenes  # type: ignore[import-not-found]

        with showing(browser, getattr(scenes, name)(), **way) as shown:
            assert broken(shown.page) == []
