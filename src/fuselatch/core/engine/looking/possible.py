"""The gestures that a user can make now, for whoever looks for one to make.

What is listed is made without running any rule: of a property with a rule, what was last announced counts, as in the view.
"""

from __future__ import annotations

from typing import Final, TypeAlias

from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.forms.live_state import ControlState, FormState, seems_usable, seen

Act: TypeAlias = tuple[str, str, str]
"""A gesture without its parts that are rarely used: its verb, the control's name, and its text."""

RECORDS: Final = ("next", "previous", "first", "last", "new", "save", "remove")
AT_PROMPT: Final[tuple[Act, ...]] = (("close", "", ""), ("key", "", "Escape"), ("key", "", "Enter"))
AT_FORM: Final[tuple[Act, ...]] = (*AT_PROMPT, ("tab", "", ""), ("back_tab", "", ""))


def possible_gestures(session: SessionState) -> list[Act]:
    """Return the gestures that the user can make now, in an order that doesn't change.

    `("type", NAME, "")` stands for any text in that entry. A list names a few items. Empty once all forms are closed.
    """
    if session.closed or session.is_broken or session.paused is not None:
        return []
    wait = session.prompt_wait
    if wait is not None:
        return [*[("answer", "", button) for button in wait.prompt.buttons], *AT_PROMPT]
    front = session.stack.front
    acts: list[Act] = []
    if front is not None:
        state: FormState = front._state
        for each in state.order:
            control: ControlState = each
            if seems_usable(control):
                add_gestures(acts, control, control is state.focus)
        for node in state.nodes.values():
            if "#" in node._plan.path and seems_usable(node):
                acts.append(("remove_line", node.name, ""))
                acts.append(("move_line", node.name, "0"))
        if state.records is not None:
            acts.extend([("record", "", where) for where in RECORDS])
        plan = state.plan
        for event, verb in (("clicked", "press"), ("double_clicked", "double")):
            if event in plan.heard:
                acts.append((verb, "", ""))
        if session.hovered is not None:
            acts.append(("unhover", "", ""))
        acts.extend(AT_FORM)
        for keys in plan.shortcuts:
            acts.append(("key", "", keys))
    for form in session.stack.forms:
        if form is not front and not session.stack.covered(form) and not session.stack.hidden(form):
            acts.append(("to_front", "", form._state.name))
    if not session.waits:
        acts.extend([("open", "", name) for name in session.offers.by_name])
    return acts


def add_gestures(found: list[Act], control: ControlState, focused: bool) -> None:
    """Add what can be done with a usable control."""
    decl, heard = control._decl, control._plan.heard
    name = control.name
    accepts = decl.accepts
    if "press" in accepts or "clicked" in heard:
        found.append(("press", name, ""))
    if "add_line" in accepts and seen(control, "read_only") is not True:
        found.append(("add_line", name, ""))
    if "hovered" in heard or "unhovered" in heard:
        found.append(("hover", name, ""))
    if "double_clicked" in heard:
        found.append(("double", name, ""))
    if decl.takes_focus and not focused:
        found.append(("focus", name, ""))
    found.extend([(verb, name, text) for verb, text in decl.gestures(control)])


def refused_entries(session: SessionState) -> list[str]:
    """Return the entries of the front form that would be refused now: by what was found, or because they are blank.

    Those that the user can't get to are among them, if something was found.
    """
    front = session.stack.front
    names: list[str] = []
    if front is None or session.prompt_wait is not None:
        return names
    state: FormState = front._state
    for each in state.order:
        control: ControlState = each
        # What is typed there now is judged when it is left.
        if not control._plan.is_input or control._rule or control._draft:
            continue
        if control._findings:
            for finding in control._findings:
                if finding.level == "refuse":
                    names.append(control.name)
                    break
        elif control._value is None or control._value == "":
            needed = control._decl.constants.get("required")
            if (needed is True or (needed is None and seen(control, "required") is True)) and seems_usable(control):
                names.append(control.name)
    return names
