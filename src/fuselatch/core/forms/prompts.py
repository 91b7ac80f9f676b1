"""Prompts: questions to the user, declared on the form."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from string import Formatter
from typing import Final, Literal, Self, TypeAlias

from fuselatch.core.forms.latch import Latch
from fuselatch.core.model.errors import DeclarationError, UnknownName
from fuselatch.core.model.names import suggest
from fuselatch.core.model.texts import later, said
from fuselatch.core.model.values import Value, short

Tone: TypeAlias = Literal["plain", "question", "warning", "danger"]
TONES: Final = ("plain", "question", "warning", "danger")
MOST_BUTTONS: Final = 4
Cells: TypeAlias = tuple[tuple[str, ...], ...]
"""A small table below a prompt's text: its rows, the headings first."""
OK_CANCEL: Final = (later("ok"), later("cancel"))
"""The buttons of a prompt that names none."""


class Answer(str):
    """The caption of the button that answered a prompt, as its code declares it.

    `by_close_button`: True if it was the prompt's close button, which counts as its cancel button.
    """

    __slots__ = ("by_close_button",)
    by_close_button: bool

    def __new__(cls, caption: str, by_close_button: bool = False) -> Self:
        made = super().__new__(cls, caption)
        made.by_close_button = by_close_button
        return made


class Prompt:
    """A question with up to four buttons.

    `text`: may name controls and facts in braces: `"{vessel} overhangs by {over:.1f} m"`. `default`: the button that Enter
    presses. `cancel`: the button that Escape and the close button press. Without both, the last button is both; with only
    `cancel`, it is also the default. `tone`: plain, question, warning or danger. `latch`: ask once per key, then return the
    remembered answer; `remember`: the answers to remember. Raises `DeclarationError`.
    """

    __slots__ = ("buttons", "cancel", "default", "fields", "latch", "name", "plain", "remember", "text", "title", "tone")

    def __init__(
        self,
        text: str,
        *,
        title: str = "",
        buttons: tuple[str, ...] = OK_CANCEL,
        default: str | None = None,
        cancel: str | None = None,
        tone: Tone = "question",
        latch: Latch | None = None,
        remember: tuple[str, ...] = (),
    ) -> None:
        if not isinstance(text, str):
            raise DeclarationError(f"a prompt's text must be text (str), not {short(text)}")
        where = f"Prompt({text[:30]!r}…)" if len(text) > 30 else f"Prompt({text!r})"
        if not isinstance(buttons, tuple) or not 1 <= len(buttons) <= MOST_BUTTONS or len(set(buttons)) < len(buttons):
            raise DeclarationError(f"{where}: buttons must be 1 to 4 different captions in a tuple, not {short(buttons)}")
        roles = [("default", default), ("cancel", cancel), *(("remember", kept) for kept in remember)]
        for role, button in roles:
            if button is not None and button not in buttons:
                raise DeclarationError(f"{where}: {role} '{button}' isn't one of the buttons; {suggest(button, buttons)}")
        if tone not in TONES:
            raise DeclarationError(f"{where}: unknown tone '{tone}'; {suggest(tone, TONES)}")
        if (latch is None) is not (remember == ()) or not isinstance(remember, tuple):
            raise DeclarationError(f"{where}: latch= needs remember=, a tuple of the answers to remember")
        self.name = ""
        self.latch = latch
        self.remember = remember
        self.text = text
        self.title = title
        self.buttons = tuple(buttons)
        self.default = default if default is not None else buttons[-1]
        self.cancel = cancel if cancel is not None else self.default
        self.tone: Tone = tone
        self.fields = self._fields(where)
        # A text without names is the same each time.
        self.plain = None if self.fields else text.format_map({})

    def __set_name__(self, owner: type, name: str) -> None:
        self.name = self.name or f"{owner.__name__}.{name}"

    @property
    def latch_name(self) -> str:
        """The latch's name in a log: the prompt's name, or its text."""
        return self.name or self.text

    def reworded(self, text: str, title: str, buttons: Mapping[str, str]) -> Prompt:
        """Return the prompt with other texts. `buttons`: shown captions by declared ones."""
        shown = {button: buttons.get(button, button) for button in self.buttons}
        return Prompt(
            text,
            title=title,
            buttons=tuple(shown.values()),
            default=shown[self.default],
            cancel=shown[self.cancel],
            tone=self.tone,
        )

    def in_language(self, formats: object) -> Prompt:
        """Return the prompt with the library's own texts in the language of a session's formats."""
        if not hasattr(formats, "texts"):
            return self
        texts = (self.text, self.title, *self.buttons)
        text, title, *buttons = (said(formats, each) for each in texts)
        if (text, title, *buttons) == texts:
            return self
        return self.reworded(text, title, dict(zip(self.buttons, buttons, strict=True)))

    def _fields(self, where: str) -> tuple[str, ...]:
        """Return the names in braces, each once."""
        try:
            named = [name for _, name, _, _ in Formatter().parse(self.text) if name is not None]
        except ValueError as error:
            raise DeclarationError(f"{where}: {error}; for literal braces write {{{{ and }}}}") from None
        for name in named:
            if not name.isidentifier():
                raise DeclarationError(f"{where}: '{{{name}}}' isn't a name; use the name of a control or fact")
        return tuple(dict.fromkeys(named))

    def filled(self, facts: Mapping[str, object], names: Iterable[str] = ()) -> str:
        """Return the text with its facts filled in. `names`: known names, for the error.

        Raises `UnknownName` for a missing fact, and `ValueError` if its format doesn't fit.
        """
        for name in self.fields:
            if name not in facts:
                raise UnknownName(f"the prompt {self.text!r} needs the fact '{name}'; {suggest(name, names)}")
        return self.text.format_map(facts)

    def __repr__(self) -> str:
        return f"Prompt({self.text!r}, buttons={self.buttons!r})"


def in_words(text: str, table: Cells) -> str:
    """Return a prompt's text and its table as one text."""
    return "\n".join([text, *(" | ".join(row).strip() for row in table)])


class Shown:
    """A control in a prompt's text: its field's text, or its value in a format."""

    __slots__ = ("text", "value")

    def __init__(self, text: str, value: Value) -> None:
        self.text = text
        self.value = value

    def __format__(self, spec: str) -> str:
        return format(self.value, spec) if spec and self.value is not None else self.text

    def __str__(self) -> str:
        return self.text
