"""Forms as pages in a browser, served to this computer only, or mounted into a web application.

It needs the extra `page`: `pip install 'fuse-latch[page]'`.
"""

from typing import TYPE_CHECKING

from fuselatch.lazily import lazily

if TYPE_CHECKING:
    from fuselatch.frontends.page.serving import app as app
    from fuselatch.frontends.page.showing import show_form as show_form

WHERE = {
    "fuselatch.frontends.page.showing": ("show_form",),
    "fuselatch.frontends.page.serving": ("app",),
}
"""The module of each public name."""

if not TYPE_CHECKING:
    __getattr__, __dir__ = lazily(__name__, WHERE, {"fuselatch.frontends.page.serving": "starlette"})
