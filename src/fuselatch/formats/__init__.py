"""Formats by locale. Those of a locale come from Babel, which is loaded when a locale needs it."""

from __future__ import annotations

from functools import cache
from typing import TYPE_CHECKING, Any

from fuselatch.formats.english import EnglishFormats
from fuselatch.lazily import lazily

if TYPE_CHECKING:
    from fuselatch.formats.by_locale import LocaleFormats as LocaleFormats

WHERE = {"fuselatch.formats.by_locale": ("LocaleFormats",), "fuselatch.formats": ("locale_formats",)}
"""The module of each public name."""

if not TYPE_CHECKING:
    __getattr__, __dir__ = lazily(__name__, WHERE)


@cache
def locale_formats(locale: str) -> Any:
    """Return the formats of a locale, created once. Raises `ValueError` for an unknown locale."""
    if locale == "en":
        return EnglishFormats()
    from fuselatch.formats.by_locale import LocaleFormats

    return LocaleFormats(locale)
