"""Show a form to the user of this computer, and wait until it is closed."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import webbrowser
from collections.abc import Callable
from typing import Any, Final, Unpack, overload

from fuselatch.core.forms.form import Form
from fuselatch.core.model.outcome import Outcome
from fuselatch.core.model.values import short
from fuselatch.frontends.page.themes import Theme
from fuselatch.frontends.stage import Stage
from fuselatch.scenes import Scene, SceneOptions

BROWSERS: Final = (
    "chromium",
    "chromium-browser",
    "google-chrome",
    "google-chrome-stable",
    "microsoft-edge",
    "brave-browser",
)
"""Browsers that can open a page as a small window of its own."""
WINDOW: Final = "640,760"


@overload
def show_form(
    form: type[Form] | Scene | Callable[[], Scene],
    *,
    port: int = 0,
    browser: bool = True,
    theme: Theme | None = None,
    **options: Unpack[SceneOptions],
) -> Outcome: ...
@overload
def show_form(
    form: type[Form], *, port: int = 0, browser: bool = True, theme: Theme | None = None, **params: object
) -> Outcome: ...
def show_form(
    form: object, *, port: int = 0, browser: bool = True, theme: Theme | None = None, **options: object
) -> Outcome:
    """Show a form in the browser, let the user fill it in, and return the outcome.

    `form`: a form class, a scene, or a function that returns one. `options`: those of a scene (`user`, `records`, `locale`,
    …) and the form's parameters. Handlers run on the thread of the caller. `port`: 0 takes a free one. `browser=False`
    prints the address and opens nothing. `theme`: how the page looks. The page is for this computer only. If no page has
    joined after 5 seconds, its address and what may be wrong are printed, and it is waited for until Ctrl-C. A page that is
    left closes the form as cancelled after half a minute.

    Raises what opening the form raises, `OSError` if the port is taken, and `ImportError` without the extra `page`.
    """
    # Only here: this name is public, and can be imported without the extra.
    from fuselatch.frontends.page.serving import Server

    address = ""

    def tell(line: str) -> None:
        sys.stderr.write(f"{line}\n")
        sys.stderr.flush()

    stage = Stage(scene_of(form, options), alone=lambda: tell(alone_text(address, browser)))
    with Server(stage, port, theme) as server:
        address = server.address

        def open_page() -> None:
            if not browser or not opened(address):
                tell(f"open {address}")

        return stage.run(open_page)


def alone_text(address: str, browser: bool) -> str:
    """Return what to do if no page has joined: where the form is, and what may be wrong."""
    if not browser:
        return "no page has joined yet; waiting for one (Ctrl-C ends it)"
    why = "a browser was started, but it may have no display here" if not has_display() else "the browser may have failed"
    return f"no page has joined: {why}. Open this address in a browser on this computer (Ctrl-C ends it): {address}"


def has_display() -> bool:
    """Return False on a system with X11 or Wayland that this process has no display of."""
    return sys.platform in ("darwin", "win32") or bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def scene_of(form: Any, options: dict[str, object]) -> Scene:
    """Return a form or scene as a scene with these options."""
    if isinstance(form, type) and issubclass(form, Form):
        return Scene(form, **options)
    scene = form if isinstance(form, Scene) else form()
    if not isinstance(scene, Scene):
        raise TypeError(f"show_form(…): expected a form class, a Scene or a function that returns one, not {short(form)}")
    scene.set(**options)
    return scene


def opened(address: str) -> bool:
    """Open a page: as a small window of its own, or else as a tab. Return False if no browser could be opened."""
    program = next((path for name in BROWSERS if (path := shutil.which(name))), None)
    if program is not None:
        try:
            subprocess.Popen(
                [program, f"--app={address}", f"--window-size={WINDOW}"],
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                start_new_session=True,
            )
        except OSError:
            return webbrowser.open(address)
        return True
    return webbrowser.open(address)
