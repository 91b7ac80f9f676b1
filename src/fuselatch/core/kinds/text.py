"""Text fields."""

from __future__ import annotations

import re
from typing import Final, Unpack

from fuselatch.core.forms.control_options import InputOptions
from fuselatch.core.forms.controls import LiveInput
from fuselatch.core.forms.declarations import WIDE, Raises
from fuselatch.core.forms.inputs import InputControl
from fuselatch.core.forms.live_state import ControlState
from fuselatch.core.forms.rules import Rule
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.json_text import Plain
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.patterns import texts_found
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import MASK, lines_of, short_text, to_text

LONGEST_SAMPLE: Final = 60
"""The longest text that is proposed to break a rule."""
UNLIKELY: Final = ("?", "x", "0", "? x 0")
"""Texts of which a pattern is unlikely to find all."""
WIDEST: Final = 40
"""The width of a wide text, in characters."""


class Text(InputControl[LiveInput[str, str], str, str]):
    """A text field (str; blank is "").

    `min_length`, `max_length`: number of characters. `pattern`: a regular expression that must be found in the text, as in
    JSON Schema; use ^ and $ to match the whole text. `example`: a right entry, for the message. Looks: multi-line,
    password (masked everywhere, also in the trace).
    """

    kind = "text"
    named = "a text field"
    example = "x"
    generated_for = str
    as_is = str
    of_record = str
    live = LiveInput
    looks = ("multi-line", "password")
    rule_words = ("required", "min_length", "max_length", "pattern")
    typed = Raises("typed")

    def __init__(
        self,
        caption: str | Rule[str] = "",
        *,
        value: str | Rule[str] | None = None,
        default: str | Rule[str] = "",
        min_length: int = 0,
        max_length: int | None = None,
        pattern: str | None = None,
        example: str = "",
        **options: Unpack[InputOptions],
    ) -> None:
        super().__init__(caption, options, value=value, default=default)
        self.min_length = min_length
        self.max_length = max_length
        self.example = example
        if max_length is not None and min_length > max_length:
            raise DeclarationError(f"Text({caption!r}): min_length {min_length} is greater than max_length {max_length}")
        try:
            self.pattern = re.compile(pattern) if pattern is not None else None
        except re.error as error:
            raise DeclarationError(
                f"Text({caption!r}): pattern {pattern!r} isn't a valid regular expression: {error}"
            ) from None

    @property
    def is_multi_line(self) -> bool:
        """True if it takes several lines: Enter starts a new one."""
        return bool(self.constants["look"] == "multi-line")

    def width(self) -> int:
        if self.is_multi_line:
            return WIDEST
        return WIDE if self.max_length is None else max(1, min(self.max_length, WIDEST))

    def is_selected_whole(self) -> bool:
        # One key would replace all of several lines.
        return not self.is_multi_line

    def written_by(self, key: str) -> str:
        return "\n" if key == "Enter" and self.is_multi_line else super().written_by(key)

    @property
    def blank(self) -> str:
        return ""

    def coerce(self, value: object) -> str:
        return to_text(value)

    def taken(self, text: str) -> str:
        return lines_of(text) if self.is_multi_line else super().taken(text)

    def settled(self, draft: str) -> str:
        """Return a draft without space around it. A text of several lines keeps its first indent and its last line break."""
        text = draft.strip()
        return draft if text and self.is_multi_line else text

    def parse(self, text: str, live: ControlState, formats: Formats) -> str:
        return text

    def validate(self, live: ControlState, value: str, formats: Formats) -> list[Finding]:
        """Return the findings of `required`, `min_length`, `max_length` and `pattern`.

        The last three have the meaning of JSON Schema, and don't apply to a blank text.
        """
        findings = super().validate(live, value, formats)
        length = len(value)
        if value and length < self.min_length:
            findings.append(Finding(user_text(formats, "min_length", limit=self.min_length), rule="min_length"))
        if self.max_length is not None and length > self.max_length:
            findings.append(
                Finding(user_text(formats, "max_length", length=length, limit=self.max_length), rule="max_length")
            )
        if value and self.pattern is not None and not self.pattern.search(value):
            which = "pattern.example" if self.example else "pattern"
            given = MASK * len(value) if self.constants["look"] == "password" else value
            findings.append(Finding(user_text(formats, which, text=short_text(given), example=self.example), rule="pattern"))
        return findings

    def sample(self, first_choice: str = "") -> str:
        if self.pattern is not None:
            most = self.max_length or LONGEST_SAMPLE
            made = (text for text in texts_found(self.pattern) if self.min_length <= len(text) <= most)
            return self.example or next(made, "")
        return "" if self.max_length == 0 else "x" * max(1, self.min_length)

    def wrong(self, rule: str) -> tuple[str, str] | None:
        if rule == "max_length" and self.max_length is not None and self.max_length < LONGEST_SAMPLE:
            return "type", "x" * (self.max_length + 1)
        if rule == "min_length":
            return "type", "x" * (self.min_length - 1)
        if rule == "pattern" and self.pattern is not None:
            text = next((text for text in UNLIKELY if not self.pattern.search(text)), "")
            return ("type", text) if text else None
        return super().wrong(rule)

    def schema(self, needed: bool) -> Plain:
        """Return the JSON Schema of the text. If it isn't required, it may be blank."""
        rules: Plain = {}
        if self.min_length:
            rules["minLength"] = self.min_length
        if self.max_length is not None:
            rules["maxLength"] = self.max_length
        if self.pattern is not None:
            rules["pattern"] = self.pattern.pattern
        if needed:
            return {**self.json, **rules, "minLength": max(1, self.min_length)}
        return {**self.json, **({"anyOf": [{"const": ""}, rules]} if rules.keys() - {"maxLength"} else rules)}
