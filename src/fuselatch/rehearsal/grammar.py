"""The words of cue sheets: the verbs and the expectations, with their arguments."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Final

from fuselatch.core.model.gestures import VERBS as GESTURES


@dataclass(frozen=True, slots=True)
class VerbRule:
    """The number of words that a verb needs, and its usage."""

    least: int
    most: int | None
    usage: str


EARLIEST: Final = datetime(1900, 1, 1)
LATEST: Final = datetime(2999, 12, 31)
"""The last day that a rehearsal may take place on."""
MOST_PRESSES: Final = 1_000
"""The most presses of a key in one step."""

BEGINS: Final = frozenset({"scene", "form", "forms"})
"""The verbs that a cue sheet can start with."""

OPENING: Final[Mapping[str, VerbRule]] = {
    "scene": VerbRule(1, 1, "scene MODULE:FUNCTION"),
    "form": VerbRule(1, 1, "form MODULE:CLASS"),
    "forms": VerbRule(1, 1, "forms FOLDER"),
    "policy": VerbRule(1, 1, "policy FILE.toml"),
    "user": VerbRule(1, 1, "user NAME"),
    "locale": VerbRule(1, 1, "locale LOCALE"),
    "now": VerbRule(1, 1, "now DATE-AND-TIME"),
    "each": VerbRule(1, None, "each NAME…"),
    "row": VerbRule(1, None, "row VALUE…"),
}
"""The verbs before the first step."""

WITHOUT_GESTURE: Final[Mapping[str, str]] = {
    "paste": "CONTROL TEXT",
    "clear": "CONTROL",
    "wait": "DURATION",
    "finish": "HANDLER [RESULT]",
    "fail": "HANDLER TEXT [ERROR]",
    "time_out": "HANDLER",
    "expect": "[not] WHAT WORD…",
}
"""Steps that aren't a verb of a gesture, and their words."""


def rule_of(verb: str, words: str) -> VerbRule:
    """Return the rule of a verb. In brackets is what can be left out."""
    named = re.findall(r"\[*[^\s\[\]]+(?:\[POSITION\])?\]*", words)
    needed = [word for word in named if not word.startswith("[")]
    usage = f"{verb} {words}".strip()
    if words.endswith("…"):
        return VerbRule(1, None, usage)
    return VerbRule(len(needed), len(named), usage)


STEPS: Final[Mapping[str, VerbRule]] = {
    verb: rule_of(verb, words)
    for verb, words in {**{verb: each.words for verb, each in GESTURES.items()}, **WITHOUT_GESTURE}.items()
} | {"pick": VerbRule(2, 5, "pick CONTROL CHOICE [at PLACE | where COLUMN VALUE]")}
"""The steps: the verbs of gestures, and a few more."""

ENDS_CALLS: Final = frozenset({"finish", "fail", "time_out", "cancel_call"})
"""Steps that end a slow call. In a sheet with one of them, or that expects one, they wait; in others they run at once."""

MEANT: Final[Mapping[str, str]] = {
    "click": "press", "push": "press", "submit": "press", "select": "pick", "choose": "pick", "check": "tick",
    "uncheck": "untick", "enter": "type", "set": "type", "input": "type", "write": "type", "delete": "clear",
    "erase": "clear", "sleep": "wait", "pause": "wait", "assert": "expect", "mouse": "hover", "move": "hover",
    "double_click": "double", "confirm": "answer", "dismiss": "close",
}  # fmt: skip
"""Words that people write for a step, and the step that they mean."""

INCLUDE: Final = VerbRule(1, 1, "include FILE.cues")
"""The verb that can be anywhere."""

VERBS: Final[Mapping[str, VerbRule]] = {**STEPS, **OPENING, "include": INCLUDE}

TARGETS: Final[Mapping[str, VerbRule]] = {
    "open": VerbRule(1, 1, "open FORM"),
    "front": VerbRule(1, 1, "front FORM"),
    "title": VerbRule(1, 1, "title TEXT"),
    "focus": VerbRule(0, 1, "focus [CONTROL]"),
    "message": VerbRule(0, 1, "message [PART]"),
    "notice": VerbRule(0, 1, "notice [PART]"),
    "help": VerbRule(0, 1, "help [PART]"),
    "prompt": VerbRule(0, 1, "prompt [PART]"),
    "slow_call": VerbRule(0, 1, "slow_call [PART]"),
    "button": VerbRule(1, 1, "button CAPTION"),
    "outcome": VerbRule(1, 1, "outcome VERDICT"),
    "latch": VerbRule(1, 1, "latch NAME"),
    "record": VerbRule(1, 1, "record POSITION"),
    "row": VerbRule(1, None, "row SOURCE [COLUMN=VALUE…]"),
    "written": VerbRule(1, 2, "written SOURCE [COUNT]"),
    "letter": VerbRule(0, 1, "letter [PART]"),
    "drawing": VerbRule(1, 1, "drawing NAME"),
    "refused": VerbRule(1, None, "refused STEP… [because PART]"),
    "failed": VerbRule(1, None, "failed STEP… [because PART]"),
}
"""The expectations that aren't about a control."""

PROPERTIES: Final[Mapping[str, VerbRule]] = {
    "value": VerbRule(1, None, "NAME.value WORD"),
    "text": VerbRule(1, 1, "NAME.text WORD"),
    "choices": VerbRule(0, None, "NAME.choices WORD…"),
    "choices_include": VerbRule(1, None, "NAME.choices_include WORD…"),
    "rows": VerbRule(1, 1, "NAME.rows COUNT"),
    "enabled": VerbRule(0, 1, "NAME.enabled [yes|no]"),
    "visible": VerbRule(0, 1, "NAME.visible [yes|no]"),
    "required": VerbRule(0, 1, "NAME.required [yes|no]"),
    "read_only": VerbRule(0, 1, "NAME.read_only [yes|no]"),
    "marker": VerbRule(0, 1, "NAME.marker [PART]"),
    "caption": VerbRule(1, 1, "NAME.caption TEXT"),
    "tone": VerbRule(1, 1, "NAME.tone TONE"),
}
"""The expectations about a control."""

OF_OUTCOME: Final = VerbRule(1, 1, "outcome.NAME WORD")


def expected_rule(target: str) -> VerbRule | None:
    """Return the rule of an expectation, or None if there is no such expectation."""
    if target in TARGETS:
        return TARGETS[target]
    if target.startswith("outcome."):
        return OF_OUTCOME
    owner, dot, prop = target.rpartition(".")
    return PROPERTIES.get(prop) if dot and owner else None


def step_and_reason(words: Sequence[str]) -> tuple[Sequence[str], str]:
    """Return the step after `refused` or `failed`, and the part of the reason ("" for any)."""
    rule = STEPS.get(words[0])
    most = None if rule is None else rule.most
    # What may follow a choice begins with another word.
    is_reason = most is None or len(words) - 1 > most or (words[0] == "pick" and len(words) > 4)
    if len(words) > 2 and words[-2] == "because" and is_reason:
        return words[:-2], words[-1]
    return words, ""
