"""Bring derived values up to date, in order of dependence.

Setting something marks the cells that read it (`Dirty.invalidate`). A marked cell runs again when it is read, or when the
queue is empty. Then each value that differs is announced.
"""

from __future__ import annotations

from operator import attrgetter
from typing import Any, Final

from fuselatch.core.engine.state.failure import failed, failure_of, tell
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.turns import Turn, touch
from fuselatch.core.forms.live_state import AnyControl, ControlState, FormState, current
from fuselatch.core.model.cells import UNSEEN, Cell, Inputs, Node, by_dependence, watch
from fuselatch.core.model.errors import FuseLatchError, HandlerFailed, RuleError, describe
from fuselatch.core.model.properties import JUDGING, MOVING, PROPERTIES
from fuselatch.core.model.trace import safe_text
from fuselatch.core.model.trace_rows import add_row
from fuselatch.core.model.values import Value, same
from fuselatch.core.model.view import FailureView

NESTED: Final = 40
"""How deep rules may nest before the rest runs from the bottom of the stack."""


class Untracked(dict[Any, object]):
    """A tracker that notes nothing, for rules whose inputs are known."""

    def __setitem__(self, key: object, value: object) -> None: ...


UNTRACKED: Final = Untracked()


# ---- stale and fresh


def fresh(session: SessionState, cell: Cell) -> Value:
    """Return a cell's value; run its rule only if an input changed."""
    if cell.fresh:
        return cell.value
    running = session.dirty.computing
    if cell.running:
        names = [step.name for step in running]
        circle = names[names.index(cell.name) :]
        raise RuleError(f"these rules depend on each other in a circle: {' → '.join([*circle, circle[0]])}")
    depth = len(running)
    if depth and depth % NESTED == 0 and session.turn is not None:
        # A long chain would overflow the stack, so this part runs from its bottom, on another worker.
        return session.workers.at_the_bottom(lambda: refresh(session, cell))
    return refresh(session, cell)


def refresh(session: SessionState, cell: Cell) -> object:
    """Work out a cell's value."""
    port = session.port
    outer = port.tracker
    within = not cell.plain
    if within:
        cell.running = True
        session.dirty.computing.append(cell)
    try:
        if cell.fixed:
            port.tracker = UNTRACKED
            cell.value = cell.run()
        # If all inputs are equal again, comparing them is cheaper than running the developer's rule.
        elif cell.value is UNSEEN or inputs_differ(cell):
            inputs: Inputs = {}
            port.tracker = inputs
            try:
                value = cell.run()
            except Exception as error:
                if session.turn is None or not session.dirty.tolerant or cell.value is UNSEEN:
                    raise
                keep_last(session, cell, inputs, error)
            else:
                cell.value = value
                if session.failed:
                    session.failed.pop(cell, None)
            cell.forced = False
            if inputs.keys() != cell.inputs.keys():
                if cell.prop in JUDGING:
                    must_not_judge_itself(cell, inputs)
                watch(cell, inputs)
            else:
                cell.inputs = inputs
        cell.fresh = True
        if session.observers and cell.prop != "check":
            tell_computed(session, cell)
    except HandlerFailed:
        raise
    except Exception as error:
        raise failure_of(session, error, cell.where, f"the rule {cell.name}") from error
    finally:
        port.tracker = outer
        if within:
            session.dirty.computing.pop()
            cell.running = False
    return cell.value


def must_not_judge_itself(cell: Cell, inputs: Inputs) -> None:
    """Refuse a rule that reads if its own control is valid: that depends on the rule."""
    node: Any = cell.node
    if isinstance(node, FormState) or not node._plan.is_checked:
        return
    for read, prop in inputs:
        name = read.name if isinstance(read, ControlState) else f"{node._state.name}.is_valid"
        if prop in ("is_valid", "findings", "marker") and (read is node or read is node._state):
            path = f"{name}.{prop}" if read is node else name
            raise RuleError(f"these rules depend on each other in a circle: {cell.name} → {path} → {cell.name}")


def keep_last(session: SessionState, cell: Cell, inputs: Inputs, error: Exception) -> None:
    """Keep a cell's last value: its rule failed because of what another has written.

    The user must be able to continue, so the gesture isn't undone. `feed` raises the failure afterwards.
    """
    turn = session.turn
    assert turn is not None, "others' writes are noticed in a gesture"
    failure = failed(error, cell.where, turn.event, f"the rule {cell.name}", "")
    turn.late = turn.late or failure
    node: Any = cell.node
    caption = title_or_caption(node)
    file, line = failure.where
    text = session.text("failure", caption=caption)
    session.failed[cell] = FailureView(text, f"the rule {cell.name}", file, line, safe_text(describe(error)), ())


def title_or_caption(node: Any) -> str:
    """Return what the user calls a control or form."""
    if isinstance(node, FormState):
        return node.title or node.plan.name
    caption = node._decl.constants.get("caption") or node.name
    return str(caption)


def follow(session: SessionState, before: set[Cell]) -> None:
    """Bring up to date what depends on others' writes: the marked cells but those of `before`."""
    session.dirty.tolerant = True
    try:
        for cell in list(session.dirty.cells):
            if cell not in before and not cell.fresh:
                fresh(session, cell)
    finally:
        session.dirty.tolerant = False


def tell_computed(session: SessionState, cell: Cell) -> None:
    """Tell observers that a rule was computed."""
    node: Any = cell.node
    path = "" if isinstance(node, FormState) else node.name
    tell(session, "computed", node.form, path, cell.prop, cell.value)


def inputs_differ(cell: Cell) -> bool:
    """Return True if a cell has to run again."""
    inputs = cell.inputs
    if cell.forced or not inputs:
        return True
    for (node, prop), seen in inputs.items():
        now = current(node, prop) if isinstance(node, ControlState) else node._current(prop)
        if now is not seen and not (type(now) is type(seen) and now == seen):
            return True
    return False


# ---- announcing


def announce(turn: Turn) -> None:
    """Update the marked cells and announce what differs, in order of dependence."""
    session = turn.session
    dirty = session.dirty
    while dirty.cells:
        order = list(dirty.cells)
        dirty.cells = {}
        if session.leaving:
            # A closed form follows nothing. If its closing is undone, it marks these again.
            order = [cell for cell in order if state_of(cell.node).phase != "closed"]
        if len(order) > 1:
            order.sort(key=by_order)
        read = False
        # Compute all of them before announcing any: the order of dependence is known only afterwards.
        try:
            for cell in order:
                if not cell.fresh:
                    refresh(session, cell)
                read = read or cell.node._watchers is not None
        except BaseException:
            # What marked the others may not be undone, such as the time.
            dirty.cells = {**dict.fromkeys(order), **dirty.cells}
            raise
        if read and len(order) > 1:
            order = by_dependence(order)
        for cell in order:
            if cell.because is None:
                announce_cell(turn, cell)
                continue
            # Its effects get the cell's cause as their parent, so that the fuse sees a loop through a rule.
            event, handler = turn.event, turn.handler
            turn.event, turn.handler = cell.because
            cell.because = None
            try:
                announce_cell(turn, cell)
            finally:
                turn.event, turn.handler = event, handler


def state_of(node: Any) -> FormState:
    """Return the state of the form that a node belongs to."""
    state: FormState = node if isinstance(node, FormState) else node._state
    return state


def announce_cell(turn: Turn, cell: Cell) -> None:
    """Announce a cell's value, if it differs from the last one announced."""
    control: AnyControl = cell.node
    prop, value, last = cell.prop, cell.value, cell.announced
    if prop == "value":
        turn.put_value(control, value, cell.cause)
    elif prop == "check":
        turn.session.dirty.revalidate_check(control)
    elif not same(last, value):
        if turn.rows is not None:
            name = "" if prop == "title" else control.name
            add_row(turn.rows, cell.cause, "change", cell.form_name, name, prop, last, value)
        turn.put_announced(cell, value)
        property_differs(turn, control, prop, cell.cause)
    elif prop == "enabled":
        # It may have read something else this time.
        show_again(control)


def property_differs(turn: Turn, node: Node, prop: str, cause: int) -> None:
    """Update what depends on a property that changed, besides the rules that read it."""
    if not isinstance(node, ControlState):
        return
    session, control = turn.session, node
    dirty = session.dirty
    if prop == "visible":
        control._state.rearranged = True
    elif prop == "caption":
        # Where it disables something, the caption tells so.
        for cells in (control._watchers or {}).values():
            for cell in cells:
                if cell.prop == "enabled":
                    show_again(cell.node)
    is_group = control._plan.is_group
    if is_group:
        inside = f"{control._plan.path}."
        for path, other in control._state.controls.items():
            if path.startswith(inside):
                dirty.revalidate(other)
    else:
        dirty.revalidate(control)
        plan = control._plan
        for check in (*plan.checked_by, *plan.checks) if plan.checked_by or plan.checks else ():
            for path in (*check.controls, check.at):
                dirty.revalidate(control._state.controls[path])
    if prop in MOVING:
        focused = control._state.focus
        if focused is control or focused is None or control is session.hovered or is_group:
            session.stack.unsettled = True
    elif PROPERTIES[prop].follows and not control._rule:
        stored, reads = control._value, current(control, "value")
        if not same(stored, reads):
            turn.put_value(control, reads, cause)


def show_again(node: Any) -> None:
    """Let the next view tell again what disables a control, or the controls of a group."""
    state = node._state
    state.touched[node] = None
    if node._plan.is_group:
        inside = f"{node._plan.path}."
        state.touched.update({other: None for path, other in state.controls.items() if path.startswith(inside)})


def update_quietly(session: SessionState) -> None:
    """Update cells after an undo, without announcing."""
    cells, session.dirty.cells = session.dirty.cells, {}
    for cell in sorted(cells, key=by_order):
        try:
            node: Any = cell.node
            cell.announced = fresh(session, cell)  # not undone: this is the undo
            if cell.prop == "value":
                node._value = cell.value  # not undone: this is the undo
            touch(node)
            if cell.prop == "check":
                session.dirty.revalidate_check(node)
        except FuseLatchError:
            # It also failed before the gesture, or depends on untracked data. It stays stale.
            continue


by_order = attrgetter("order")
"""Sort key: order of declaration."""
