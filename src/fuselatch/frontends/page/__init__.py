"""Forms as pages in a browser, served to this computer only, or mounted into a web application.

It needs the extra `page`: `pip install 'fuse-latch[page]'`.
"""

from typing import TYPE_CHECKING

from fuselatch.lazily import lazily

if TYPE_CHECKING:
    from fuselatch.frontends.page.filling import fill_in as fill_in
    from fuselatch.frontends.page.serving import app as app

WHERE = {
    "fuselatch.frontends.page.filling": ("fill_in",),
    "fuselatch.frontends.page.serving": ("app",),
}
"""The module of each public name."""

if not TYPE_CHECKING:
    __getattr__, __dir__ = lazily(__name__, WHERE)
