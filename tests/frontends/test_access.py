"""Pages for everyone: the keyboard alone reaches all of a form and of the page, and leads out again."""

from __future__ import annotations

from typing import Any

import pytest

from fuselatch.rehearsal.loading import importing_from
from tests.frontends.conftest import showing
from tests.frontends.player import Player
from tests.frontends.test_page import EXAMPLES

FOCUSED = """(() => {
  const at = document.activeElement;
  return at.name || at.dataset.offer || at.closest("[data-control]")?.dataset.control || at.className || at.tagName;
})()"""


@pytest.mark.parametrize("name", ["quiet_monday", "searching", "office"])
@pytest.mark.parametrize("key", ["Tab", "Shift+Tab"])
def test_tab_goes_round_all_of_a_form_and_of_the_page(name: str, key: str, browser: Any) -> None:
    with importing_from([EXAMPLES]):
        from saltmarsh import scenes

        with showing(browser, getattr(scenes, name)()) as shown:
            if name == "office":
                Player(shown).do("add_line", ["extras"])

            seen: list[str] = []
            for _ in range(60):
                shown.page.keyboard.press(key)
                shown.settle()
                seen.append(shown.page.evaluate(FOCUSED))
            assert shown.stage._view is not None
            form = shown.stage._view.forms[-1]
            wanted = {one.name for one in form.controls if one.enabled and one.takes_focus}
            wanted |= {"close quiet"} | ({"add", "next"} if name == "office" else set())
            assert wanted <= set(seen), f"not reached: {wanted - set(seen)}"
            assert "BODY" in seen or "guard" in seen, "never leaves the page"
