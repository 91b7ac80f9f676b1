"""Cue sheets: the steps of a rehearsal as plain text, one step per line.

Words are quoted as in a shell; `#` starts a comment. Nothing is evaluated: reading only splits lines into words and
looks them up in tables. The grammar is in docs/cue-sheets.md.
"""

from __future__ import annotations

import re
import sys
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from pathlib import Path
from typing import Final, NamedTuple

from fuselatch.core.model.errors import FuseLatchError
from fuselatch.core.model.names import closest, suggest
from fuselatch.rehearsal.grammar import (
    BEGINS,
    EARLIEST,
    LATEST,
    MEANT,
    PROPERTIES,
    STEPS,
    TARGETS,
    VERBS,
    VerbRule,
    expected_rule,
    step_and_reason,
)
from fuselatch.rehearsal.reach import DEEPEST, LARGEST, MOST_FILES, MOST_TEXT, OutOfReach, in_reach, read_bytes, resolved
from fuselatch.report.cue_words import written

WORD: Final = re.compile(r"""(?:[^\s"'\\]|\\.|"(?:[^"\\]|\\.)*"|'[^']*')+""")
PLAIN: Final = re.compile(r"\S+")
MARKS: Final = re.compile(r"""["'\\#]""")
PIECE: Final = re.compile(r"""\\(.)|"((?:[^"\\]|\\.)*)"|'([^']*)'|([^"'\\]+)""")
INNER: Final = re.compile(r"\\u\{([0-9A-Fa-f]{1,6})\}|\\(.)|\{(\w+)\}")
ESCAPES: Final = {"n": "\n", "t": "\t"}
PLACE: Final = re.compile(r"\{(\w+)\}")
ENDS: Final = re.compile(r"\r\n|\n|\r")
UNQUOTED: Final = re.compile(r"""[^"'\\]*""")
NOT_CUES: Final = "this is a Python file; rehearse takes cue sheets (*.cues). To run its tests use pytest"
SHOWN: Final = 40
"""The length of a row's label."""


class Word(NamedTuple):
    """A word of a cue: its text, its 1-based column, and how it is written."""

    text: str
    column: int
    raw: str


class Cue(NamedTuple):
    """A line of a cue sheet: its verb, words, file and 1-based line."""

    line: int
    column: int
    verb: str
    words: tuple[Word, ...]
    source: str
    file: str

    def texts(self) -> tuple[str, ...]:
        """Return the words after the verb."""
        return tuple([word.text for word in self.words])


@dataclass(frozen=True, slots=True)
class CueSheet:
    """A cue sheet that was read: what it opens, and its steps.

    `opening`: the lines before its steps, by verb. A sheet with a table (`each`) has `rows` and is run once for each of its
    `runs`; `row` is the label of a run. `text`: the file's text. `files`: this file and those it includes. `folders`: where
    the files, folders and modules that it names must be.
    """

    name: str
    opening: Mapping[str, Cue]
    steps: tuple[Cue, ...]
    text: str = field(repr=False, default="")
    files: tuple[str, ...] = ()
    folders: tuple[Path, ...] = ()
    rows: tuple[Cue, ...] = ()
    columns: tuple[str, ...] = ()
    row: str = ""

    @property
    def opens(self) -> Cue:
        """The line that says what it opens."""
        return next(self.opening[verb] for verb in OPENS if verb in self.opening)

    def word(self, verb: str) -> Word | None:
        """Return the word after `user`, `locale`, `forms` or `policy`, or None if the sheet doesn't have that line."""
        return self.opening[verb].words[0] if verb in self.opening else None

    @property
    def user(self) -> str | None:
        """The user's name, or None if not given."""
        word = self.word("user")
        return None if word is None else word.text

    @property
    def locale(self) -> str | None:
        """The locale, or None if not given."""
        word = self.word("locale")
        return None if word is None else word.text

    @property
    def now(self) -> datetime | None:
        """The time at which it begins, or None if not given. Raises `CueError`."""
        return clock_of(self.opening.get("now"))

    @property
    def forms(self) -> Word | None:
        """The folder whose forms it offers, or None if not given."""
        return self.word("forms")

    @property
    def policy(self) -> Word | None:
        """Its policy file, or None if not given."""
        return self.word("policy")

    @property
    def runs(self) -> Iterator[CueSheet]:
        """The sheets to run: this one, or one per row of its table."""
        if not self.rows:
            yield self
        # Most lines have no braces; they are the same in every run.
        at_braces = [at for at, cue in enumerate(self.steps) if has_braces(cue)]
        opening = [verb for verb, cue in self.opening.items() if has_braces(cue)]
        for number, row in enumerate(self.rows, 1):
            values = dict(zip(self.columns, row.texts(), strict=True))
            steps = list(self.steps)
            for at in at_braces:
                steps[at] = filled(steps[at], values)
            opened = {**self.opening, **{verb: filled(self.opening[verb], values) for verb in opening}}
            label = " ".join(row.texts())
            label = f"row {number} ({label[:SHOWN]}{'…' if len(label) > SHOWN else ''})"
            yield replace(self, opening=opened, steps=tuple(steps), rows=(), row=label)

    @property
    def title(self) -> str:
        """Its name, with the row of a table."""
        return f"{self.name} {self.row}".rstrip()


OPENS: Final = ("scene", "form", "forms")
"""The line that says what a sheet opens: the first of these that it has."""


class CueError(FuseLatchError, ValueError):
    """A cue sheet that can't be read: `file:line:column: what is wrong, and what would be right`.

    `line` and `column` are 1-based; both are 0 if the whole file is wrong.
    """

    def __init__(self, name: str, line: int, column: int, problem: str) -> None:
        where = f"{name}:{line}:{column}" if line else name
        super().__init__(f"{where}: {problem}")
        self.name = name
        self.line = line
        self.column = column
        self.problem = problem


class Reader:
    """The parts of a cue sheet that were read so far. `folders`: where the files that it includes must be."""

    def __init__(self, folders: tuple[Path, ...]) -> None:
        self.folders = folders
        self.opening: dict[str, Cue] = {}
        self.rows: list[Cue] = []
        self.steps: list[Cue] = []
        self.files: list[str] = []
        self.length = 0

    def read(self, text: str, name: str, within: tuple[Path, ...] = ()) -> None:
        """Read the lines of a file, also for `include`."""
        self.files.append(name)
        self.length += len(text)
        for number, line in enumerate(ENDS.split(text), 1):
            cue = read_line(line, number, name)
            if cue is None:
                continue
            if cue.verb == "include":
                self.include(cue, within)
            elif cue.verb in STEPS:
                if not self.opening.keys() & BEGINS and len(within) < 2:
                    raise CueError(name, number, cue.column, "start with 'scene', 'form' or 'forms' before the first step")
                self.steps.append(cue)
            elif self.steps:
                raise CueError(name, number, cue.column, f"'{cue.verb}' must come before the first step")
            elif cue.verb == "row":
                self.row(cue)
            else:
                self.open(cue)

    def open(self, cue: Cue) -> None:
        opening = self.opening
        if cue.verb in opening or (cue.verb in ("scene", "form") and opening.keys() & {"scene", "form"}):
            problem = f"'{cue.verb}' appears twice; a cue sheet opens one scene or form"
            if cue.verb not in BEGINS:
                problem = f"'{cue.verb}' appears twice; it is already on line {opening[cue.verb].line}"
            raise CueError(cue.file, cue.line, cue.column, problem)
        if cue.verb == "each":
            known: set[str] = set()
            for word in cue.words:
                if not word.text.isidentifier():
                    problem = f"'{word.text}' isn't a column name; use letters, digits and _"
                    raise CueError(cue.file, cue.line, word.column, problem)
                if word.text in known:
                    raise CueError(cue.file, cue.line, word.column, f"column '{word.text}' appears twice")
                known.add(word.text)
        opening[cue.verb] = cue

    def row(self, cue: Cue) -> None:
        each = self.opening.get("each")
        if each is None:
            raise CueError(cue.file, cue.line, cue.column, "'row' needs 'each NAME…' before it")
        if len(cue.words) != len(each.words):
            problem = f"expected {len(each.words)} values ({', '.join(each.texts())}), found {len(cue.words)}"
            raise CueError(cue.file, cue.line, cue.column, problem)
        self.rows.append(cue)

    def include(self, cue: Cue, within: tuple[Path, ...]) -> None:
        word = cue.words[0]

        def wrong(problem: str) -> CueError:
            return CueError(cue.file, cue.line, word.column, problem)

        path = Path(cue.file).parent / word.text
        try:
            real = resolved(in_reach(path, self.folders, word.text))
            if real in map(resolved, within):
                circle = " → ".join(file.name for file in (*within, path))
                raise wrong(f"cue sheets include each other: {circle}")
            if len(within) > DEEPEST:
                raise wrong(f"cue sheets include each other more than {DEEPEST} deep")
            if len(self.files) > MOST_FILES:
                raise wrong(f"more than {MOST_FILES:,} included files")
            text = read_text(path)
        except OutOfReach as error:
            raise wrong(str(error)) from None
        except FileNotFoundError:
            near = [sheet.name for sheet in sorted(path.parent.glob("*.cues"))]
            hint = suggest(path.name, near) if near else "no cue sheets in this folder"
            raise wrong(f"file '{word.text}' not found; {hint}") from None
        except OSError as error:
            raise wrong(f"file '{word.text}': {error.strerror}") from None
        if self.length + len(text) > MOST_TEXT:
            raise wrong(f"more than {MOST_TEXT // LARGEST * 4} MB with all included files")
        try:
            self.read(text, str(path), (*within, real))
        except CueError as error:
            if " (included by " in error.problem:
                raise
            raise CueError(
                error.name, error.line, error.column, f"{error.problem} (included by {cue.file}:{cue.line})"
            ) from None

    def sheet(self, text: str, name: str) -> CueSheet:
        opening = self.opening
        if not opening.keys() & BEGINS:
            problem = "start with 'scene MODULE:FUNCTION', 'form MODULE:CLASS' or 'forms FOLDER'"
            raise CueError(name, 1, 1, problem)
        each = opening.get("each")
        if each is not None and not self.rows:
            raise CueError(each.file, each.line, each.column, "'each' has no rows; add lines below it: row VALUE…")
        columns = each.texts() if each is not None else ()
        return CueSheet(name, opening, tuple(self.steps), text, tuple(self.files), self.folders, tuple(self.rows), columns)


def read_cues(text: str, name: str, folders: Iterable[Path] = ()) -> CueSheet:
    """Read a cue sheet.

    `text`: its text. `name`: its file name, for errors and for the files that it includes. `folders`: where what it names
    may be, besides its own folder and the current one. Raises `CueError` for the first problem.
    """
    own = Path(name).parent
    reader = Reader((own, Path.cwd(), *folders))
    reader.read(text, name, (Path(name),))
    sheet = reader.sheet(text, name)
    now, each_run = sheet.opening.get("now"), bool(sheet.rows) and varies(sheet)
    if now is not None and has_braces(now):
        for row in sheet.rows:
            clock_of(filled(now, dict(zip(sheet.columns, row.texts(), strict=True))))
    for number, run in enumerate(sheet.runs):
        if number and not each_run:
            break
        clock_of(run.opening.get("now"))
        for cue, plain in zip(run.steps, sheet.steps, strict=True):
            if cue.verb == "expect" and (cue is not plain or not number):
                must_be_expected(cue)
    return sheet


def varies(sheet: CueSheet) -> bool:
    """Return True if what is expected, not only with which words, depends on the row."""
    return any(cue.verb == "expect" and has_braces(cue._replace(words=said_first(cue))) for cue in sheet.steps)


def said_first(cue: Cue) -> tuple[Word, ...]:
    """Return the words of an expectation that say what else must follow."""
    first = 1 + (cue.words[0].raw == "not")
    target = cue.words[first - 1].text if len(cue.words) >= first else ""
    return cue.words[: first + (target in ("refused", "failed"))]


def has_braces(cue: Cue | None) -> bool:
    """Return True if a line may name columns."""
    return cue is not None and any("{" in word.raw for word in cue.words)


def read_cue_file(path: Path | str, name: str = "", folders: Iterable[Path] = ()) -> CueSheet:
    """Read the cue sheet in a file, with the options of `read_cues`; raises `CueError` and `OSError`."""
    path = Path(path)
    if path.suffix == ".py":
        raise CueError(str(path), 0, 0, NOT_CUES)
    return read_cues(read_text(path), name or str(path), (path.parent, *folders))


def read_text(path: Path) -> str:
    data = read_bytes(path)
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        raise CueError(str(path), line, 1, "not valid UTF-8; save the file as UTF-8") from None


def read_line(line: str, number: int, name: str) -> Cue | None:
    """Return a line as a cue, or None if it is blank."""
    words = cut(line, number, name)
    if not words:
        return None
    verb, rest = words[0], tuple(words[1:])
    rule = VERBS.get(verb.raw)
    if rule is None:
        raise CueError(name, number, verb.column, f"unknown step '{verb.text}'; {step_hint(verb.text)}")
    must_fit(rule, rest, name, number, behind(words))
    return Cue(number, verb.column, verb.text, rest, line.strip(), name)


def must_fit(rule: VerbRule, words: Sequence[Word], name: str, line: int, end: int, more: str = "") -> None:
    """Refuse too few or too many words. `end`: the column after the last word."""
    if len(words) < rule.least:
        raise CueError(name, line, end, f"not enough words: {more}{rule.usage}")
    if rule.most is not None and len(words) > rule.most:
        extra = words[rule.most]
        problem = f"unexpected '{extra.text}': {more}{rule.usage} (quote text with spaces)"
        raise CueError(name, line, extra.column, problem)


def behind(words: Sequence[Word]) -> int:
    """Return the column after the last word."""
    return words[-1].column + len(words[-1].raw)


def must_be_expected(cue: Cue) -> None:
    """Refuse an expectation that is unknown or has the wrong number of words."""
    words = cue.words[1:] if cue.words[0].raw == "not" else cue.words
    end = behind(cue.words)
    if not words:
        raise CueError(cue.file, cue.line, end, "not enough words: expect [not] WHAT WORD…")
    target, rest = words[0], words[1:]
    rule = expected_rule(target.text) if UNQUOTED.fullmatch(target.raw) else None
    if rule is None:
        prop = target.text.rpartition(".")[2]
        raise CueError(cue.file, cue.line, target.column, f"can't expect '{target.text}'; {expected_hint(prop)}")
    must_fit(rule, rest, cue.file, cue.line, end, "expect ")
    if target.text in ("refused", "failed"):
        step = STEPS.get(rest[0].raw)
        if step is None or rest[0].text == "expect":
            hint = step_hint(rest[0].text, [verb for verb in STEPS if verb != "expect"])
            raise CueError(cue.file, cue.line, rest[0].column, f"'{rest[0].text}' isn't a step; {hint}")
        done = step_and_reason([word.text for word in rest])[0]
        must_fit(step, rest[1 : len(done)], cue.file, cue.line, end, f"expect {target.text} ")


def step_hint(wrong: str, known: Iterable[str] = VERBS) -> str:
    """Return a hint for an unknown step: the closest step, or the one for a word such as click."""
    close = closest(wrong, [*known, *MEANT])
    return f"did you mean '{MEANT.get(close, close)}'?" if close is not None else suggest(wrong, known)


def expected_hint(wrong: str) -> str:
    return suggest(wrong, [*TARGETS, *(f"NAME.{prop}" for prop in PROPERTIES), *PROPERTIES])


def cut(line: str, number: int, name: str) -> list[Word]:
    """Split a line into words, as a shell does."""
    if MARKS.search(line) is None:
        # By far the most.
        return [Word(match[0], match.start() + 1, match[0]) for match in PLAIN.finditer(line)]
    words: list[Word] = []
    at = first_of(line, 0)
    while at < len(line) and line[at] != "#":
        match = WORD.match(line, at)
        end = match.end() if match else at
        if end < len(line) and not line[end].isspace():
            what = (
                "a backslash must be followed by a character" if line[end] == "\\" else f"missing closing quote {line[end]}"
            )
            raise CueError(name, number, end + 1, what)
        raw = line[at:end]
        if "\\u{" in raw:
            must_be_characters(raw, number, at, name)
        words.append(Word(unquoted(raw), at + 1, raw))
        at = first_of(line, end)
    return words


def first_of(line: str, at: int) -> int:
    """Return where the next word begins, or the end of the line."""
    match = PLAIN.search(line, at)
    return match.start() if match else len(line)


def must_be_characters(raw: str, line: int, at: int, name: str) -> None:
    """Refuse the number of a character that there isn't."""
    for escape in INNER.finditer(raw):
        if escape[1] is not None and int(escape[1], 16) > sys.maxunicode:
            raise CueError(
                name, line, at + escape.start() + 1, f"'{escape[0]}' isn't a character; the last is \\u{{10FFFF}}"
            )


def unquoted(word: str, values: Mapping[str, str] | None = None) -> str:
    """Return a word without quotes, with `values` for {names} outside single quotes."""
    if values is None and not ("\\" in word or '"' in word or "'" in word):
        return word
    text = ""
    for escaped, double, single, plain in PIECE.findall(word):
        if double:
            text += INNER.sub(lambda found: inner(found, values), double)
        elif plain and values is not None:
            text += PLACE.sub(lambda found: values[found[1]], plain)
        else:
            text += escaped or single or plain
    return text


def inner(found: re.Match[str], values: Mapping[str, str] | None) -> str:
    """Return an escape or a {name} within double quotes; `\\n` is a line end, `\\u{2031}` a character by its number."""
    if found[1] is not None:
        return chr(int(found[1], 16))
    if found[2] is not None:
        return ESCAPES.get(found[2], found[2])
    return found[0] if values is None else values[found[3]]


def filled(cue: Cue, values: Mapping[str, str]) -> Cue:
    """Return a cue with the values of one row."""
    words = []
    for word in cue.words:
        if "{" not in word.raw:
            words.append(word)
            continue
        try:
            words.append(word._replace(text=unquoted(word.raw, values)))
        except KeyError as error:
            hint = suggest(error.args[0], values)
            problem = f"unknown column '{error.args[0]}'; {hint} (for a literal brace write '{{' in single quotes)"
            raise CueError(cue.file, cue.line, word.column, problem) from None
    if words == list(cue.words):
        return cue
    return cue._replace(words=tuple(words), source=written(cue.verb, [word.text for word in words]))


def clock_of(cue: Cue | None) -> datetime | None:
    """Return the time set by `now`."""
    if cue is None:
        return None
    word = cue.words[0]
    try:
        moment = datetime.fromisoformat(word.text)
    except ValueError:
        problem = f"'{word.text}' isn't a date and time; write it like 2031-05-04T09:30"
        raise CueError(cue.file, cue.line, word.column, problem) from None
    if not EARLIEST <= moment.replace(tzinfo=None) <= LATEST:
        problem = f"'{word.text}' is too far away; use a time from {EARLIEST:%Y} to {LATEST:%Y}"
        raise CueError(cue.file, cue.line, word.column, problem)
    return moment
