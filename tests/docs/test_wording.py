"""Old names and words that we don't use stay out of code, docs and examples."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]

OLD_NAMES: dict[str, tuple[str, str]] = {
    r"\.hold\(": ('event.hold("why")', "event.block"),
    r"\bWhole\(": ('Whole("Nights")', "Integer"),
    r"\bSignals?\b|\bsignals? (of|from|to|that)\b": ("Signal(str)", "CustomEvent"),
    r"\.given\b": ("form.length.given", "required_value"),
    r"\bkeeps=": ('keeps=("Yes",)', "remember="),
    r"\.holds\(|\blatch\.release\(": ("latch.holds()", "is_set, reset"),
    r"\b(latch|today)\.take\(": ("latch.take()", "set"),
    r"\bFIRST\b|\bNTH\(": ("default=FIRST", "first_choice(), nth_choice(2)"),
    r"\bdefault=LAST\b": ("default=LAST", "last_entered()"),
    r"\bSELECTED\b|\bGap\(": ('at=Gap("score")', "host_selection(), first_blank()"),
    r"\b(show|store|by|holds)=\"": ('Catalog("berths", show="name")', "text=, value=, indexed=, value_type="),
    r"\bkeep=True": ("keep=True", "default=last_entered()"),
    r"\bmany=True": ("many=True", "multiple="),
    r"\beager=": ("eager=True", "while_typing="),
    r"\bthen=\"": ('then="fresh"', "after_submit="),
    r"(?<!new_)parent=\"|\bremoving=\"": ('parent="first"', "new_parent=, on_parent_remove="),
    r"\bleaving=\"": ('leaving="ask"', "on_leave="),
    r"\bline_starting\b": ("line_starting", "line_adding"),
    r"\brecords?\.fresh\(|\brecord  *\"?fresh\b|\bfresh record\b": ("record  fresh", "record new"),
    r"\.(tell|retitle|reveal)\(": ("self.tell(", "inform, set_title, unhide"),
    r"\b(un)?pointed\b|\bpoint_away\b|\bfronted\b": ("unpointed", "unhovered, brought_to_front"),
    r"\"person\"": ('"person"', "user"),
    r"\bperform_all\b|\bPerformance\b|\bPromptSeen\b|\bTaken\b": (
        "perform_all",
        "run_all_cues, CueRun, DeskPrompt, LatchRecord",
    ),
    r"\bfuselatch draft\b|--(over|into|out|release)\b": ("fuselatch draft", "generate, --overwrite, --output, --reset"),
    r"\.undo\(\)": ("form.name.undo()", "revert"),
}
"""A pattern for each old name: an example, and the new name."""

WORDS: dict[str, tuple[str, str]] = {
    r"has not the form": ("'x' has not the form AB-12", "isn't in the right format"),
    r"\bput back\b": ("it is put back", "undone"),
    r"\bin hand\b": ("the record in hand", "current record"),
    r"\bperform(s|ed|ing)?\b": ("performs a cue sheet", "run"),
    r"\b(some|no)body\b": ("nobody hears it", "no handler; the user; someone else"),
    r"\bone's own\b": ("a word of one's own", "your own"),
    r"\banew\b": ("begun anew", "again"),
    r"\b(is|are) wanted[ ;,.]": ("a text is wanted here", "expected text, not"),
    r"\b(an entry|a value) is needed\b": ("an entry is needed", "Enter a value"),
    r"\b(goes|go|went) on\b(?! to)": ("the handler goes on", "resumes; continues"),
    r"\bmanagement\b": ("management's texts", "the office; policy file"),
    r"\bauthors?\b": ("the author", "developer; you"),
    r"\b([Aa]|[Tt]he) persons?\b": ("as a person sees it", "user"),
    r"\bmeanwhile\b": ("meanwhile", "in the meantime, or nothing"),
    r"\bnothing is wrong\b": ("1 file: nothing is wrong", "no problems"),
    r"\bis no [a-z]+[;,.:]": ("this is no table;", "isn't a"),
    r"\bthere is no (verb|module|handler|command)\b": ("there is no verb 'clik'", "unknown"),
    r"\b(is|stands|lies) behind\b": ("what stands behind it", "after; in the background"),
    r"\bcomes of (it|them)\b": ("what comes of it", "effects"),
    r"\"\"\"(Whether|What|Which|Where|Have|Had) ": ('"""Whether it is open."""', "an imperative or a noun"),
    r"\bfaces\b|\b(a|the|each) face\b": ("faces list it", "front end"),
    r"\btells (what|why|who)\b": ("which tells why", "shows; explains"),
}
"""A pattern for each word that a reader stumbles over: an example, and what to write."""

ALL = OLD_NAMES | WORDS


def pages() -> list[Path]:
    folders = (ROOT / name for name in ("docs", "src", "examples", "tests", "benchmarks"))
    found = [path for folder in folders for path in folder.rglob("*") if path.suffix in (".py", ".md", ".cues", ".html")]
    found = [path for path in found if "node_modules" not in path.parts]
    return sorted({*found, ROOT / "README.md", ROOT / "CONTRIBUTING.md"} - {Path(__file__)})


def test_old_names_and_words_stay_out() -> None:
    found = []
    for path in pages():
        text = path.read_text(encoding="utf-8")
        for pattern, (_, better) in ALL.items():
            for match in re.finditer(pattern, text):
                line = text.count("\n", 0, match.start()) + 1
                found.append(f"{path.relative_to(ROOT)}:{line}: {match[0]!r}; write: {better}")
    assert not found, "\n".join(found)


@pytest.mark.parametrize("pattern", ALL)
def test_each_pattern_finds_its_example(pattern: str) -> None:
    assert re.search(pattern, ALL[pattern][0])
