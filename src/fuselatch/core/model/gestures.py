"""Gestures: the user's actions, as a front end sends them."""

from __future__ import annotations

import shlex
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Final


@dataclass(frozen=True, slots=True, kw_only=True)
class Verb:
    """One thing that a user can do.

    `does`: in words. `words`: what a cue sheet writes after the verb; in brackets what can be left out. `unfit`: the reason
    for a control whose kind doesn't accept the verb ("": any kind does). `by_kind`: a kind may have other reasons.
    `enters`: it enters a value, which a control with a rule for its value refuses. `plain`: it only needs a usable control.
    `anywhere`: it also works while a prompt is open. `looks`: a disabled control accepts it. `quoted`: its text is shown
    even if it is empty.
    """

    does: str
    words: str = ""
    unfit: str = ""
    by_kind: bool = False
    enters: bool = False
    plain: bool = False
    anywhere: bool = False
    looks: bool = False
    quoted: bool = False

    @property
    def needs_control(self) -> bool:
        """True if it names a control."""
        return self.words.startswith(("CONTROL", "TABLE", "LINES"))


VERBS: Final[Mapping[str, Verb]] = {
    "focus": Verb(does="move the focus to a control", words="CONTROL", by_kind=True, enters=True, plain=True),
    "type": Verb(
        does="replace an entry's draft (one keystroke)",
        words="CONTROL TEXT",
        unfit="can't be typed into",
        by_kind=True,
        enters=True,
        plain=True,
        quoted=True,
    ),
    "key": Verb(does="press one key or shortcut", words="KEY [TIMES]", anywhere=True, quoted=True),
    "tab": Verb(does="move to the next control"),
    "back_tab": Verb(does="move to the previous control"),
    "press": Verb(
        does="press a button or label; without a control, click the form itself",
        words="[BUTTON]",
        unfit="can't be pressed",
        plain=True,
    ),
    "double": Verb(
        does="double-click a control; without a control, the form itself", words="[CONTROL [CHOICE]]", by_kind=True
    ),
    "pick": Verb(
        does="pick one of the choices, by its text",
        words="CONTROL CHOICE",
        unfit="has no choices",
        by_kind=True,
        enters=True,
        plain=True,
        quoted=True,
    ),
    "sort": Verb(
        does="sort a table by a column; sort by the same column again to reverse",
        words="TABLE COLUMN",
        unfit="can't be sorted",
        by_kind=True,
    ),
    "tick": Verb(does="tick a box", words="CONTROL", unfit="can't be ticked", enters=True, plain=True),
    "untick": Verb(does="untick a box", words="CONTROL", unfit="can't be ticked", enters=True, plain=True),
    "hover": Verb(does="move the pointer to a control", words="CONTROL", looks=True),
    "unhover": Verb(does="move the pointer away", looks=True),
    "answer": Verb(does="press a button of the open prompt", words="BUTTON", anywhere=True, quoted=True),
    "close": Verb(does="press the close button of the prompt, dialog or form in front", anywhere=True),
    "record": Verb(
        does="go to a record (next, previous, first, last, new or a key), or save or remove the current one",
        words="next|previous|first|last|new|save|remove|KEY",
        quoted=True,
    ),
    "add_line": Verb(does="add a line at the end", words="LINES", unfit="isn't a list of lines"),
    "remove_line": Verb(does="remove a line", words="LINES[POSITION]", unfit="isn't a line", by_kind=True),
    "move_line": Verb(
        does="move a line to a position (0 is the first)",
        words="LINES[POSITION] POSITION",
        unfit="isn't a line",
        by_kind=True,
    ),
    "paste_rows": Verb(
        does="fill lines from rows of cells, with tabs between them: from an entry of a line on, or as new lines of a list",
        words="CONTROL CELLS",
        by_kind=True,
        quoted=True,
    ),
    "take_back": Verb(does="take back the last change of a value, a line or a pick"),
    "cancel_call": Verb(does="cancel a slow call: that of a handler, or the newest", words="[HANDLER]"),
    "open": Verb(does="open an offered form by its name, or bring it to the front", words="FORM", quoted=True),
    "to_front": Verb(does="bring an open form to the front", words="FORM", quoted=True),
}
"""Every verb. The function that carries it out is in `engine.verbs`."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Gesture:
    """One thing that the user does: a verb of `VERBS`, a control's path and a text.

    `form`: the form's name in the view, "" for the front form. `repeat`: the key is held down; it types again but presses
    and closes nothing. `item`: the id of the item that is picked or double-clicked, in place of its text. `view_serial`: the
    serial of the view that the user saw; None: the newest one. `result`: of a slow call that has ended; the verb is then
    `slow_call`, `control` the call's id, and `text` how it ended: finished, failed, timed_out, or reported.
    """

    verb: str
    control: str = ""
    text: str = ""
    form: str = ""
    repeat: bool = False
    item: str = ""
    view_serial: int | None = None
    result: object = field(default=None, hash=False)

    def __str__(self) -> str:
        words = f"{self.verb} {self.control}" if self.control else self.verb
        known = VERBS.get(self.verb)
        return f"{words} {shlex.quote(self.text)}" if self.text or (known is not None and known.quoted) else words
