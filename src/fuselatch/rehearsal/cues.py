"""Cue sheets: the steps of a rehearsal as a plain text file, one step a line.

Words are quoted as in a shell, `#` begins a comment. Nothing in a cue sheet is evaluated; reading
one only cuts it into words and looks each verb up in a table.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Final

from fuselatch.core.model.names import suggest

WORD = re.compile(r"""(?:[^\s"'\\]|\\.|"(?:[^"\\]|\\.)*"|'[^']*')+""")
PIECE = re.compile(r"""\\(.)|"((?:[^"\\]|\\.)*)"|'([^']*)'|([^"'\\]+)""")


@dataclass(frozen=True, slots=True)
class Word:
    """One word of a cue, unquoted, and the column (from 1) where it begins."""

    text: str
    column: int


@dataclass(frozen=True, slots=True)
class Cue:
    """One line of a cue sheet: its number (from 1), verb, and the words behind it."""

    line: int
    column: int
    verb: str
    words: tuple[Word, ...]
    source: str

    def texts(self) -> tuple[str, ...]:
        """The words behind the verb, as text."""
        return tuple(word.text for word in self.words)


@dataclass(frozen=True, slots=True)
class CueSheet:
    """A cue sheet that has been read: where it begins (`scene`, `form` or `forms`), and its steps.

    `forms` is the folder whose forms it offers, `policy` the file of its policy, as words; None where
    it names none.
    """

    name: str
    opens: Cue
    user: str
    locale: str
    now: datetime | None
    forms: Word | None
    policy: Word | None
    steps: tuple[Cue, ...]


class CueError(ValueError):
    """A cue sheet that can't be read: `file:line:column: what is wrong, and what would be right`."""

    def __init__(self, name: str, line: int, column: int, problem: str) -> None:
        super().__init__(f"{name}:{line}:{column}: {problem}")
        self.line = line
        self.column = column
        self.problem = problem


@dataclass(frozen=True, slots=True)
class VerbRule:
    """How many words a verb takes, and how it is written."""

    least: int
    most: int | None
    usage: str


OPENING: Final[Mapping[str, VerbRule]] = {
    "scene": VerbRule(1, 1, "scene MODULE:FUNCTION"),
    "form": VerbRule(1, 1, "form MODULE:CLASS"),
    "forms": VerbRule(1, 1, "forms FOLDER"),
    "policy": VerbRule(1, 1, "policy FILE.toml"),
    "user": VerbRule(1, 1, "user NAME"),
    "locale": VerbRule(1, 1, "locale LOCALE"),
    "now": VerbRule(1, 1, "now DATE-AND-TIME"),
}
"""What stands before the first step."""

STEPS: Final[Mapping[str, VerbRule]] = {
    "focus": VerbRule(1, 1, "focus CONTROL"),
    "type": VerbRule(2, 2, "type CONTROL TEXT"),
    "paste": VerbRule(2, 2, "paste CONTROL TEXT"),
    "clear": VerbRule(1, 1, "clear CONTROL"),
    "key": VerbRule(1, 1, "key KEY"),
    "tab": VerbRule(0, 0, "tab"),
    "back_tab": VerbRule(0, 0, "back_tab"),
    "press": VerbRule(0, 1, "press [BUTTON]"),
    "double": VerbRule(0, 2, "double [CONTROL [CHOICE]]"),
    "pick": VerbRule(2, 2, "pick CONTROL CHOICE"),
    "sort": VerbRule(2, 2, "sort TABLE COLUMN"),
    "tick": VerbRule(1, 1, "tick CONTROL"),
    "untick": VerbRule(1, 1, "untick CONTROL"),
    "point": VerbRule(1, 1, "point CONTROL"),
    "point_away": VerbRule(0, 0, "point_away"),
    "wait": VerbRule(1, 1, "wait DURATION"),
    "answer": VerbRule(1, 1, "answer BUTTON"),
    "close": VerbRule(0, 0, "close"),
    "open": VerbRule(1, 1, "open FORM"),
    "record": VerbRule(1, 1, "record next|previous|first|last|fresh|save|remove|KEY"),
    "add_line": VerbRule(1, 1, "add_line LINES"),
    "remove_line": VerbRule(1, 1, "remove_line LINES[PLACE]"),
    "move_line": VerbRule(2, 2, "move_line LINES[PLACE] PLACE"),
    "expect": VerbRule(1, None, "expect [not] WHAT WORD…"),
}
"""The steps: the verbs of the desk, and what is expected of it."""

BEGINS: Final = frozenset({"scene", "form", "forms"})
"""What a cue sheet may begin with: one of the first two, the third, or both."""

VERBS: Final[Mapping[str, VerbRule]] = {**OPENING, **STEPS}


def read_cues(text: str, name: str) -> CueSheet:
    """Read a cue sheet.

    `text` is its whole text, `name` what it is called in errors. Raises `CueError` for the first
    thing that is wrong.
    """
    opening: dict[str, Cue] = {}
    steps: list[Cue] = []
    for number, line in enumerate(text.splitlines(), 1):
        cue = read_line(line, number, name)
        if cue is None:
            continue
        if cue.verb in STEPS:
            if not opening.keys() & BEGINS:
                raise CueError(name, number, cue.column, "a 'scene', a 'form' or 'forms' comes before the first step")
            steps.append(cue)
            continue
        if steps:
            raise CueError(name, number, cue.column, f"'{cue.verb}' comes before the first step")
        if cue.verb in opening or (cue.verb in ("scene", "form") and opening.keys() & {"scene", "form"}):
            raise CueError(name, number, cue.column, f"a second '{cue.verb}'; a cue sheet opens one scene or form, once")
        opening[cue.verb] = cue
    opens = opening.get("scene") or opening.get("form") or opening.get("forms")
    if opens is None:
        raise CueError(name, 1, 1, "no scene: begin with 'scene MODULE:FUNCTION', 'form MODULE:CLASS' or 'forms FOLDER'")
    forms, policy = (opening[verb].words[0] if verb in opening else None for verb in ("forms", "policy"))
    user, locale = (opening[verb].words[0].text if verb in opening else "" for verb in ("user", "locale"))
    return CueSheet(name, opens, user, locale or "en", clock_of(opening.get("now"), name), forms, policy, tuple(steps))


def read_line(line: str, number: int, name: str) -> Cue | None:
    """One line as a cue; None where it says nothing."""
    words = cut(line, number, name)
    if not words:
        return None
    verb, rest = words[0], tuple(words[1:])
    rule = VERBS.get(verb.text)
    if rule is None:
        raise CueError(name, number, verb.column, f"there is no verb '{verb.text}'; {suggest(verb.text, VERBS)}")
    if len(rest) < rule.least:
        raise CueError(name, number, len(line.rstrip()) + 1, f"something is missing: {rule.usage}")
    if rule.most is not None and len(rest) > rule.most:
        extra = rest[rule.most]
        raise CueError(name, number, extra.column, f"'{extra.text}' is too much: {rule.usage} (quote a text with spaces)")
    return Cue(number, verb.column, verb.text, rest, line.strip())


def cut(line: str, number: int, name: str) -> list[Word]:
    """Cut a line into words, as a shell does."""
    words: list[Word] = []
    at = 0
    while at < len(line):
        if line[at].isspace():
            at += 1
            continue
        if line[at] == "#":
            break
        found = WORD.match(line, at)
        end = found.end() if found else at
        if end < len(line) and not line[end].isspace():
            what = "a backslash has nothing behind it" if line[end] == "\\" else f"the quote {line[end]} is not closed"
            raise CueError(name, number, end + 1, what)
        words.append(Word(unquoted(line[at:end]), at + 1))
        at = end
    return words


def unquoted(word: str) -> str:
    """A word without its quotes and backslashes."""
    text = ""
    for escaped, double, single, plain in PIECE.findall(word):
        text += escaped or re.sub(r"\\(.)", r"\1", double) or single or plain
    return text


def clock_of(cue: Cue | None, name: str) -> datetime | None:
    """What the clock reads, as `now` says."""
    if cue is None:
        return None
    word = cue.words[0]
    try:
        return datetime.fromisoformat(word.text)
    except ValueError:
        problem = f"'{word.text}' is no date and time; write one such as 2031-05-04T09:30"
        raise CueError(name, cue.line, word.column, problem) from None
