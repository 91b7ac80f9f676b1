"""Set values and properties, and find problems with them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import TYPE_CHECKING, Any, cast

from fuselatch.core.engine import focus
from fuselatch.core.engine.nodes import SharedNode
from fuselatch.core.engine.rules import check_runner, is_as_is, same
from fuselatch.core.engine.running import Running
from fuselatch.core.engine.turn import Turn
from fuselatch.core.forms.form import Form
from fuselatch.core.forms.held import ControlState, current, is_usable
from fuselatch.core.forms.live_lists import LiveChoice
from fuselatch.core.forms.prompts import TONES
from fuselatch.core.forms.shared import Shared
from fuselatch.core.forms.state import FormState
from fuselatch.core.model.cells import Cell
from fuselatch.core.model.choices import Choices, choices_of
from fuselatch.core.model.errors import FormClosed, NotAllowedHere, RuleError
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.names import suggest
from fuselatch.core.model.rows import add_row
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import short

if TYPE_CHECKING:
    from fuselatch.core.engine.engine import Engine

LEVELS = {"refuse": 0, "warn": 1}
MOVING = frozenset({"enabled", "visible"})
"""Properties that may take the focus or the pointer away from a control."""


class Changes(Running):
    """The part of the engine that reads, validates and sets values and properties."""

    # ---- rules and findings

    def fresh(self, cell: Cell) -> Any:
        return cell.value if cell.fresh else self.updates.fresh(cell)

    def findings(self, control: ControlState) -> tuple[Finding, ...]:
        """Return a control's findings, refusing ones first."""
        # The user can't correct a disabled or hidden field, so it isn't checked.
        if not is_usable(control):
            return ()
        if control._trouble is not None:
            return (control._trouble,)
        plan = control._plan
        if not plan.checks and not plan.checked_by and plan.levels is None and not control._decl.constants["while_typing"]:
            # Declared rules only. They come in order already: a blank field has no other finding.
            found = control._decl.validate(control, current(control, "value"), self.formats)
            return tuple(found) if found else ()
        return self.found(control, current(control, "value"), None)

    def found(self, control: Any, value: object, instead: dict[str, Any] | None) -> tuple[Finding, ...]:
        """Return the findings for a value. `instead` replaces values that checks read, by path."""
        if not is_usable(control):
            return ()
        found: list[Finding] = control._decl.validate(control, value, self.formats)
        levels = control._plan.levels
        if levels is not None:
            found = [one._replace(level=levels.get(one.rule, one.level)) for one in found]
        if control._plan.checked_by:
            found.extend(self._shown_elsewhere(control))
        if not control._checks and not found:
            return ()
        for cell, check in zip(control._checks, control._plan.checks, strict=True):
            if instead is not None and not instead.keys().isdisjoint(check.controls):
                finding = self.guarded(check_runner(control._state, check, instead), check.function, cell.name)
            else:
                finding = self.fresh(cell)
            if finding is not None:
                found.append(finding)
        if len(found) > 1:
            found.sort(key=lambda finding: LEVELS[finding.level])
        if found and control._decl.constants["while_typing"]:
            found = [Finding(one.text, one.level, one.rule, True) for one in found]
        return tuple(found)

    def _shown_elsewhere(self, control: Any) -> Iterator[Finding]:
        """Yield findings of hidden controls that this control shows in their place."""
        controls: dict[str, Any] = control._state.controls
        for check in control._plan.checked_by:
            at = controls[check.at]
            first = next((path for path in check.controls if is_usable(controls[path])), "")
            if at is control or at.visible or first != control._plan.path:
                continue
            finding = self.fresh(at._checks[at._plan.checks.index(check)])
            if finding is not None:
                text = user_text("elsewhere", finding=finding.text, caption=at.caption)
                yield Finding(text, finding.level, finding.rule, finding.while_typing)

    def revalidate_check(self, at: Any) -> None:
        """Queue the control's checks to run again."""
        self.updates.revalidate(at)
        if not at.visible:
            for check in at._plan.checks:
                for path in check.controls:
                    self.updates.revalidate(at.form._state.controls[path])

    def guarded(self, run: Callable[[], Any], function: Callable[..., object], name: str) -> Any:
        """Run the developer's code where it can't set anything or wait."""
        outer, self.tracker = self.tracker, {}
        try:
            return run()
        except Exception as error:
            raise self.failed(error, function, f"the rule {name}") from error
        finally:
            self.tracker = outer

    def preview(self, turn: Turn, control: Any) -> None:
        """Validate a draft, if its marker is shown."""
        checked_by = control._plan.checked_by
        while_typing = control._decl.constants["while_typing"] or (
            checked_by and any(check.while_typing for check in checked_by)
        )
        if not (control._marked or while_typing):
            return
        decl, text = control._decl, (control._draft or "").strip()
        try:
            value = decl.parse(text, control, self.formats) if text else control._plan.blank
        except ValueError as error:
            while_typing = bool(decl.constants["while_typing"])
            control._preview = (Finding(str(error), rule="parse", while_typing=while_typing),)
            return
        instead = {control._plan.path: value}
        control._preview = self.found(control, value, instead)
        for check in control._plan.checked_by:
            shown: Any = control._state.controls[check.at]
            if shown is not control:
                shown._preview = self.found(shown, current(shown, "value"), instead)

    def refresh(self, form: Form) -> None:
        def force(turn: Turn) -> None:
            turn.engine.look(turn)
            state = form._state
            cells: list[Cell] = list((state._cells or {}).values())
            for control in (*state.nodes.values(), *state.order):
                cells.extend((control._cells or {}).values())
                cells.extend(getattr(control, "_checks", ()))
            for cell in cells:
                cell.forced = True
                self.updates.mark_cell(cell, turn.cause)
                self.updates.mark(cell.node, cell.prop, turn.cause)

        self._by_program(("refresh", form._state.name, "value"), force)

    # ---- changing things

    def assign(self, control: ControlState, value: object) -> None:
        """Set a control's value by program. Outside a gesture this is a gesture of its own."""
        if self.tracker is not None or self.closing or control._rule or control._state.phase == "closed":
            self._may_change(control.form, f"{type(control.form).__name__}.{control.name}.value", control._rule)
        exact = value
        if type(value) is not control._plan.as_is or not is_as_is(value):
            exact = self._exactly(control, value)
        turn = self.turn
        if turn is not None:
            put(turn, control, exact)
        elif control._draft is None:
            self.start(("set", control, "value"), lambda turn: turn.put_value(control, exact, turn.cause), "program")
        else:
            self.start(("set", control, "value"), lambda turn: put(turn, control, exact), "program")

    def _exactly(self, control: ControlState, value: object) -> object:
        """Return a value as the control's exact type; raise `TypeError` or `ValueError`."""
        name = f"{type(control.form).__name__}.{control.name}"
        try:
            exact: object = control._decl.coerce(value)
        except TypeError as error:
            raise TypeError(f"{name}: {error}") from None
        if exact is None:
            return control._plan.blank
        if isinstance(control, LiveChoice):
            return offered(control, exact, name)
        return exact

    def set_property(self, control: ControlState, prop: str, value: object, wanted: Callable[[Any], Any]) -> None:
        name = f"{type(control.form).__name__}.{control.name}.{prop}"
        self._may_change(control.form, name, prop in control._decl.rules)
        if wanted is Choices:
            if isinstance(value, str) or not isinstance(value, Iterable):
                raise TypeError(f"{name}: expected a tuple or list of items, not {short(value)}")
            value = choices_of(value)
            control._cells = {} if control._cells is None else control._cells
        elif not isinstance(value, bool if wanted is bool else str) and not (prop == "required" and value == "warn"):
            raise TypeError(f"{name}: expected {wanted.__name__}, not {short(value)}")
        elif prop == "tone" and value not in TONES:
            raise ValueError(f"{name}: unknown tone '{value}'; {suggest(str(value), TONES)}")

        def put(turn: Turn) -> None:
            old = control._current(prop)
            if same(old, value):
                return
            turn.set_item(control, "_set", prop, value)
            cause = turn.note("change", control, prop, old, value)
            self.updates.mark(control, prop, cause)
            if prop == "choices":
                self.updates.mark(control, "value", cause)
            self.property_differs(turn, control, prop, cause)

        self._by_program(("set", control, prop), put)

    def property_differs(self, turn: Turn, control: Any, prop: str, cause: int) -> None:
        """Update what depends on a property that changed."""
        updates = self.updates
        if isinstance(control, FormState):
            return
        if control._decl.kind == "group":
            inside = f"{control._plan.path}."
            for path, other in control._state.controls.items():
                if path.startswith(inside):
                    updates.revalidate(other)
        else:
            updates.revalidate(control)
            plan = control._plan
            for check in (*plan.checked_by, *plan.checks) if plan.checked_by or plan.checks else ():
                for path in (*check.controls, check.at):
                    updates.revalidate(control._state.controls[path])
        if prop in MOVING:
            focused = control._state.focus
            if focused is control or focused is None or control is self.hovered or control._decl.kind == "group":
                self.unsettled = True
        elif prop == "choices" and not control._rule:
            held, reads = control._value, current(control, "value")
            if not same(held, reads):
                turn.put_value(control, reads, cause)

    def set_title(self, form: Form, title: str) -> None:
        state = form._state
        self._may_change(form, f"{type(form).__name__}.title", callable(state.plan.title))

        def put(turn: Turn) -> None:
            if form.title != title:
                cause = turn.note_form("change", form, "title", form.title, title)
                turn.set(state, "title", title)
                self.updates.mark(state, "title", cause)

        self._by_program(("set_title", state.name, "value"), put)

    def set_attribute(self, container: Any, name: str, value: object) -> None:
        self._may_change(container._state.form, f"{type(container).__name__}.{name}", False)
        if self.turn is not None:
            self.turn.set_plain(container, name, value)
        else:
            container.__dict__[name] = value

    def _may_change(self, form: Form, name: str, ruled: bool) -> None:
        if self.tracker is not None:
            raise RuleError(f"a rule, check or default can't set {name}; set it in a handler")
        if self.closing:
            raise NotAllowedHere(f"the session is closing: {name} can't be set")
        if ruled:
            raise RuleError(f"{name} has a rule and can't be set; change what the rule reads")
        if not form.is_open:
            raise FormClosed(f"{name} can't be set: the form is closed (you can still read it)")

    def set_by_program(self, form: Form, name: str, put: Callable[[Turn], None]) -> None:
        """Set something of a form that has a name: in the running gesture, or in a gesture by program."""
        self._may_change(form, name, False)
        self._by_program(("set", name, "value"), put)

    def _by_program(self, label: object, put: Callable[[Turn], None]) -> None:
        if self.turn is not None:
            put(self.turn)
        else:
            self.start(label, put, "program")

    def revert_draft(self, control: ControlState) -> None:
        self._may_change(control.form, f"{type(control.form).__name__}.{control.name}", False)
        self._by_program(("revert", control, "value"), lambda turn: focus.drop_draft(turn, control))

    def focus(self, control: ControlState, select: bool) -> None:
        self._may_change(control.form, f"the focus of {type(control.form).__name__}", False)
        self._after(("focus", control, "value"), lambda turn: focus.asked_for(turn, control, select))

    def _after(self, label: object, step: Callable[[Turn], object]) -> None:
        """Run a step after the running handler, or as a gesture of its own."""
        turn = self.turn
        if turn is None:
            self.start(label, lambda turn: (step(turn), None)[1], "program")
        elif turn.after is None:
            turn.after = [step]
        else:
            turn.after.append(step)

    def note_stale(self, control: ControlState, by_rule: bool = False) -> None:
        """Note once per gesture that a value was read while its control has a draft."""
        turn = self.turn
        if turn is None or turn.rows is None or (turn.handler is None and not by_rule):
            return
        if turn.stale is None:
            turn.stale = set()
        if control not in turn.stale:
            turn.stale.add(control)
            turn.note("stale", control, "value", None, "•" if control._plan.masked else control._draft)

    def read_shared(self, shared: Shared[Any]) -> Any:
        return self._shared_node(shared).read("value")

    def put_shared(self, shared: Shared[Any], value: object) -> None:
        node = self._shared_node(shared)
        exact = None if value is None else shared.exact(value)
        if self.tracker is not None:
            raise RuleError(f"a rule, check or default can't set {node.name}; set it in a handler")

        def put(turn: Turn) -> None:
            if same(node.value, exact):
                return
            cause = 0
            if turn.rows is not None:
                cause = add_row(turn.rows, turn.cause, "change", "", node.name, "value", node.value, exact)
            turn.set(node, "value", exact)
            node.differs(cause)

        self._by_program(("set", node.name, "value"), put)

    def _shared_node(self, shared: Shared[Any]) -> SharedNode:
        node = self.shared.get(shared)
        if node is None:
            node = self.shared[shared] = SharedNode(cast("Engine", self), shared)
        return node


def offered(control: LiveChoice[Any, Any, Any], exact: Any, name: str) -> object:
    """Return what a choice is set to, in list order; raise `ValueError` if not offered."""
    choices, decl = control._current("choices"), control._decl
    for item in exact if decl.multiple else (exact,):
        if item not in choices and not (decl.other and isinstance(item, str)):
            hint = suggest(str(item), choices.shown())
            raise ValueError(f"{name}: {short(item)} isn't one of the choices; {hint}")
    return tuple(sorted(exact, key=choices.position)) if decl.multiple else exact


def put(turn: Turn, control: ControlState, value: object) -> None:
    """Set a value and drop its control's draft."""
    if control._draft is not None:
        focus.drop_draft(turn, control)
    turn.put_value(control, value, turn.cause)
