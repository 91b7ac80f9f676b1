"""The rules of axe, a checker for pages that everyone can use."""

from __future__ import annotations

from pathlib import Path
from typing import Any

AXE = (Path(__file__).parent / "web/node_modules/axe-core/axe.min.js").read_text(encoding="utf-8")
WAYS: list[dict[str, Any]] = [{"color_scheme": "light"}, {"color_scheme": "dark"}, {"forced_colors": "active"}]


def broken_rules(page: Any) -> list[str]:
    """Return the rules of axe that a page breaks, and where: in light, in the dark, in chosen colours and on a small screen."""
    page.evaluate(AXE)
    found: list[str] = []
    for way in (*WAYS, {"width": 320, "height": 800}):
        if "width" in way:
            page.set_viewport_size(way)
        else:
            page.emulate_media(**way)
        told = page.evaluate("axe.run(document, { resultTypes: ['violations'] })")
        found += [f"{each['id']}: {node['html'][:160]} {way}" for each in told["violations"] for node in each["nodes"]]
        sideways = page.evaluate("document.documentElement.scrollWidth - innerWidth")
        found += [f"{sideways} px wider than the screen {way}"] if sideways > 0 else []
    page.set_viewport_size({"width": 1280, "height": 800})
    page.emulate_media(color_scheme="light", forced_colors="none")
    return found
