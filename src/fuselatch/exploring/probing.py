"""Probes: questions about a state that one gesture can't answer, each in worlds of their own.

- Can the front form be left: by its close button, Escape, a button that closes, and any answer to what that asks?
- Can it be accepted: if what is refused is filled, and buttons are pressed and prompts answered?
- Do two entries give the same in either order?
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Final, NamedTuple

from fuselatch.core.engine.looking.possible import Act
from fuselatch.core.engine.questions import Entry
from fuselatch.core.forms.form import Form, name_of
from fuselatch.core.model.errors import Refused, UnknownName
from fuselatch.core.model.outcome import ACCEPTED
from fuselatch.exploring.walking import ENTERING, Walker, fitting, is_unusable
from fuselatch.exploring.world import World

DEEPEST: Final = 3
"""How many prompts in a row are answered on the way out."""
MOST_STEPS: Final = 60
"""The most steps of one try to accept a form."""
TRIES: Final = 4
CLOSE: Final[Act] = ("close", "", "")
ESCAPE: Final[Act] = ("key", "", "Escape")
TAB: Final[Act] = ("tab", "", "")


class Driven(NamedTuple):
    """A try to accept a form: the gestures, if it was accepted, the entries that stayed refused.

    `blank`: the forms that were accepted on the way, each with a required entry that was blank.
    """

    accepted: bool
    acts: list[Act]
    refused: tuple[str, ...] = ()
    blank: Sequence[tuple[str, str]] = ()


def leaves(walker: Walker, path: Sequence[Act]) -> tuple[bool, list[Act]]:
    """Try to leave the front form of a state; return True if there is a way, and what was tried by close and Escape."""
    world, _ = walker.replay(path)
    front = world.session.front_form
    if front is None or world.session.prompt is not None:
        world.close()
        return True, []
    target = name_of(front)
    # Escape first drops what is typed, and closes then.
    ways: list[list[Act]] = [[CLOSE], [ESCAPE, ESCAPE]]
    ways += [[("press", each.name, "")] for each in world.session.entries() if each.closes and each.usable]
    world.close()
    tried: list[Act] = []
    for way in ways:
        done, acts = gets_out(walker, [*path, *way], target, 0)
        if done:
            return True, acts
        if way[0] in (CLOSE, ESCAPE):
            tried += acts[len(path) :]
    return False, tried


def gets_out(walker: Walker, acts: list[Act], target: str, depth: int) -> tuple[bool, list[Act]]:
    """Return True if a form is gone after these gestures, or after answering what they ask in some way.

    `target`: its name in the trace, which is the same in each world.
    """
    if walker.budget.is_over:
        return True, acts
    world, error = walker.replay(acts)
    try:
        if all(name_of(form) != target for form in world.session.forms):
            return True, acts
        if isinstance(error, Refused | UnknownName):
            return False, acts[:-1]
        prompt = world.session.prompt
        front = world.session.front_form
        if prompt is None and (front is None or name_of(front) == target):
            return False, acts
        answers: list[Act] = [("answer", "", button) for button in prompt.buttons] if prompt is not None else [CLOSE]
    finally:
        world.close()
    last = acts
    for answer in answers if depth < DEEPEST else ():
        done, last = gets_out(walker, [*acts, answer], target, depth + 1)
        if done:
            return True, last
    return False, last


def drive(walker: Walker, path: Sequence[Act], avoid: frozenset[str] = frozenset(), tries: int = TRIES) -> Driven:
    """Try to accept the front form of a state. Entries named in `avoid` are left as they are."""
    stayed: set[str] | None = None
    acts: list[Act] = []
    for attempt in range(tries):
        if walker.budget.is_over:
            return Driven(True, [])
        world, _ = walker.replay(path)
        try:
            before = len(world.done)
            accepted = drive_once(walker, world, avoid, attempt)
            acts = world.done[before:]
            if accepted:
                return Driven(True, acts, (), walker.coverage.taken_blank(world))
            refused = set(world.session.refused_entries()) - avoid
            stayed = refused if stayed is None else stayed & refused
        finally:
            world.close()
    return Driven(False, acts, tuple(sorted(stayed or ())))


def drive_once(walker: Walker, world: World, avoid: frozenset[str], attempt: int) -> bool:
    """Try once. Return True if the form that was in front is accepted."""
    target = world.session.front_form
    if target is None:
        return False
    count = attempt
    pressed: set[str] = set()
    filled: dict[str, int] = {}
    for _ in range(MOST_STEPS):
        if is_accepted(world, target):
            return True
        if world.is_over or not target.is_open or walker.budget.is_over:
            return walker.budget.is_over
        act = next_step(walker, world, avoid, count, pressed, filled)
        count += 1
        if act in walker.stuck:
            continue
        if act is None:
            return False
        error = walker.feed(world, act)
        if is_unusable(world, error):
            return False
        if error is not None and not isinstance(error, Refused | UnknownName):
            pressed.add(act[1])
    return is_accepted(world, target)


def next_step(
    walker: Walker, world: World, avoid: frozenset[str], count: int, pressed: set[str], filled: dict[str, int]
) -> Act | None:
    """Return the next step towards acceptance. `filled`: how often each entry was filled."""
    session = world.session
    prompt = session.prompt
    if prompt is not None:
        return "answer", "", prompt.buttons[count % len(prompt.buttons)]
    front = session.front_form
    if front is None:
        return None
    ends = world.ends() if session.slow_calls else []
    if ends:
        # Now and then a call fails: results of some types never fit.
        usual = [act for act in ends if act[0] == "finish" and count % 5 != 4] or ends
        return usual[count % len(usual)]
    refused = [name for name in session.refused_entries() if name not in avoid]
    usable = [name for name in refused if session.entry(name).usable]
    if usable and count % 7 != 6:
        name = usable[0] if count % 3 else usable[count % len(usable)]
        attempt = filled[name] = filled.get(name, -1) + 1
        return fitting(walker, world, name, attempt)
    entries = session.entries()
    button = accepting(entries)
    if button and button not in pressed and count % 4 != 3:
        return "press", button, ""
    acts = [act for act in world.possible() if act[1] not in avoid and (act[0] in ENTERING or act[0] == "press")]
    otherwise = {each.name for each in entries if each.closes and each.closes != ACCEPTED}
    # An item is picked, not typed.
    picked = {act[1] for act in acts if act[0] == "pick"}
    acts = [
        act
        for act in acts
        if not (act[0] == "press" and act[1] in otherwise) and not (act[0] == "type" and act[1] in picked)
    ]
    if not acts:
        return CLOSE if front is not session.first else None
    act = acts[walker.draw.randrange(len(acts))]
    return walker.with_text(world, act) if act[0] == "type" else act


def accepting(entries: Iterable[Entry]) -> str:
    """Return the name of the first usable button that accepts a form, or ""."""
    return next((each.name for each in entries if each.usable and is_accepting(each)), "")


def is_accepting(entry: Entry) -> bool:
    """Return True for a button that accepts its form."""
    return entry.closes == ACCEPTED or entry.submits


def is_accepted(world: World, form: Form) -> bool:
    """Return True if a form was accepted, also if it stays open."""
    outcome = world.session.outcome_of(form)
    return outcome is not None and outcome.verdict == ACCEPTED


def contents(world: World) -> dict[str, object]:
    """Return the values of all open forms, by form and control."""
    session = world.session
    pairs = [(form, each) for form in session.forms[::-1] for each in session.entries(form) if each.is_input]
    return {f"{name_of(form)}.{each.name}": each.value for form, each in pairs}


def either_order(walker: Walker, path: Sequence[Act], one: Act, other: Act) -> list[str]:
    """Make two entries in either order; return the controls whose values differ then."""
    ends = []
    for acts in ((one, other), (other, one)):
        world, _ = walker.replay(path)
        try:
            if any(walker.feed(world, act) is not None for act in (*acts, TAB)) or world.session.is_waiting:
                return []
            ends.append(contents(world))
        finally:
            world.close()
    return [name for name in ends[0] if name in ends[1] and ends[0][name] != ends[1][name]]


def shortest(acts: Sequence[Act], shows: Callable[[list[Act]], bool], most: int = 250) -> list[Act]:
    """Leave out gestures as long as the rest still shows a fault; `most`: how often that is tried."""
    acts_left = list(acts)
    size = max(1, len(acts_left) // 2)
    while True:
        changed = False
        end = len(acts_left)
        while end > 0 and most > 0:
            begin = max(0, end - size)
            fewer = acts_left[:begin] + acts_left[end:]
            most -= 1
            if shows(fewer):
                acts_left, changed = fewer, True
            end = begin
        if most <= 0 or (size == 1 and not changed):
            return acts_left
        if not changed or size > 1:
            size = max(1, size // 2)
