"""The port: what live forms and controls call, each carried out in the running gesture or in one of its own."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import datetime
from typing import Any
from weakref import ref

from greenlet import getcurrent

from fuselatch.core.engine.acting import closing
from fuselatch.core.engine.acting.opening import open_dialog, open_within
from fuselatch.core.engine.looking.refusals import covering
from fuselatch.core.engine.records import line_changes
from fuselatch.core.engine.records.effects import words_of
from fuselatch.core.engine.rules import latching, validation
from fuselatch.core.engine.rules.catalog_index import CatalogNode
from fuselatch.core.engine.rules.drafts import drop_draft
from fuselatch.core.engine.rules.latching import LatchNode
from fuselatch.core.engine.rules.rows import RecordsNode
from fuselatch.core.engine.rules.scheduler import fresh
from fuselatch.core.engine.rules.session_nodes import ClockNode, FormsNode, shared_node
from fuselatch.core.engine.rules.validation import findings
from fuselatch.core.engine.runner import start
from fuselatch.core.engine.state.offers import Offers
from fuselatch.core.engine.state.session_options import Options
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.turns import Effect, OwnQueue, Turn
from fuselatch.core.engine.turn import changing, focus
from fuselatch.core.engine.turn.calling import call_elsewhere
from fuselatch.core.engine.turn.prompting import ask
from fuselatch.core.forms.container import Container, OpenForm
from fuselatch.core.forms.form import Form
from fuselatch.core.forms.latch import Latch
from fuselatch.core.forms.line_lists import LineList
from fuselatch.core.forms.live_state import AnyControl, ControlState, FormState
from fuselatch.core.forms.manner import Manner
from fuselatch.core.forms.plans import Handler
from fuselatch.core.forms.port import EnginePort, FormRecords, HandlerSession
from fuselatch.core.forms.prompts import Answer, Prompt, Tone
from fuselatch.core.forms.shared import Shared
from fuselatch.core.kinds.asking import value_form
from fuselatch.core.model.cells import Cell, Node
from fuselatch.core.model.errors import NotAllowedHere, RuleError
from fuselatch.core.model.events import By, Event
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.outcome import ACCEPTED, Outcome
from fuselatch.core.model.properties import exact
from fuselatch.core.model.values import short


class Engine(EnginePort):
    """The engine of one session, as live forms and controls see it."""

    def __init__(self, again: Callable[[Engine], HandlerSession], options: Options, offers: Offers) -> None:
        state = self.state = SessionState(options, offers)
        # Weak, so that a session that is dropped ends, although handlers that wait hold its forms. A form that is held alone
        # makes it `again`.
        self.session_ref: ref[HandlerSession] | None = None
        self.again = again
        self.tracker = None
        self.has_masks = False
        self.formats = options.formats
        state.port = self
        state.time = ClockNode(state)
        state.open_forms = FormsNode(state, "find")
        state.rows = RecordsNode(state, "records")
        state.catalogs = CatalogNode(state, "catalogs")
        state.latches = LatchNode(state)

    @property
    def session(self) -> HandlerSession:
        session = self.session_ref() if self.session_ref is not None else None
        if session is None:
            session = self.again(self)
            self.session_ref = ref(session)
        return session

    def records_of(self, form: OpenForm) -> FormRecords | None:
        records: FormRecords | None = form._state.records
        return records

    # ---- how a call is carried out

    def by_program(self, form: OpenForm, name: str, label: object, put: Callable[[Turn], None], ruled: bool = False) -> None:
        changing.may_change(self.state, form, name, ruled)
        self._put(label, put)

    def _put(self, label: object, put: Callable[[Turn], None]) -> None:
        """Change something in the running gesture, or in a gesture of its own."""
        turn = self.state.turn
        if turn is not None:
            self._must_be_here(turn)
            put(turn)
        else:
            start(self.state, label, put, "program")

    def _must_be_here(self, turn: Turn) -> None:
        """Refuse a change from another thread while a gesture runs."""
        if turn.worker is not getcurrent():
            self.state.workers.must_be_at_home()

    def _after(self, label: object, step: Callable[[Turn], object]) -> None:
        """Run a step after the running handler, or as a gesture of its own."""
        turn = self.state.turn
        if turn is None:
            start(self.state, label, step, "program")
        else:
            turn.after = [*(turn.after or ()), (step, turn.event, turn.handler)]

    # ---- what follows an undo

    def mark(self, node: Node, prop: str) -> None:
        self.state.dirty.invalidate(node, prop, 0)
        if isinstance(node, ControlState):
            self.state.dirty.revalidate(node)

    def mark_stale(self, state: FormState) -> None:
        for cell in state.rules():
            if not cell.fresh and cell not in self.state.dirty.cells:
                self.state.dirty.invalidate_cell(cell, 0)

    def find_front(self) -> None:
        self.state.stack.find_front()

    # ---- values and properties

    def fresh(self, cell: Cell) -> object:
        return cell.value if cell.fresh else fresh(self.state, cell)

    def findings(self, control: ControlState) -> tuple[Finding, ...]:
        return findings(self.state, control)

    def is_valid(self, control: ControlState) -> bool:
        return validation.is_valid(self.state, control)

    def is_form_valid(self, form: OpenForm) -> bool:
        return validation.is_form_valid(self.state, form)

    def assign(self, control: ControlState, value: object) -> None:
        state, kind = self.state, type(value)
        if self.tracker is not None or state.closing or control._rule or control._state.phase == "closed":
            name = f"{type(control.form).__name__}.{control.name}.value"
            changing.may_change(state, control.form, name, control._rule)
        # By far the most are ticks and numbers. A number that isn't finite minus itself isn't 0.
        if kind is not control._plan.as_is or not (kind is bool or (isinstance(value, float) and value - value == 0)):
            value = changing.exact_value(control, value)
        turn = state.turn
        if turn is not None:
            if turn.worker is not getcurrent():
                state.workers.must_be_at_home()
            if control._draft is not None:
                drop_draft(turn, control)
            turn.put_value(control, value, turn.cause)
        else:
            # In a method of its own: compiled code pays for a closure where its function begins.
            self._assign_alone(control, value)

    def _assign_alone(self, control: ControlState, exact: object) -> None:
        """Set a value in a gesture of its own."""
        start(self.state, ("set", control, "value"), lambda turn: changing.put(turn, control, exact), "program")

    def set_property(self, control: ControlState, prop: str, value: object) -> None:
        name = f"{type(control.form).__name__}.{control.name}.{prop}"
        changing.may_change(self.state, control.form, name, prop in control._decl.rules)
        ready = exact(name, prop, value)
        self._put(("set", control, prop), lambda turn: changing.put_property(turn, control, prop, ready))

    def set_attribute(self, container: Container, name: str, value: object) -> None:
        form: OpenForm = container._state.form
        changing.may_change(self.state, form, f"{type(container).__name__}.{name}")
        if self.state.turn is not None:
            self.state.turn.set_plain(container, name, value)
        else:
            container.__dict__[name] = value

    def note_stale(self, control: ControlState, by_rule: bool = False) -> None:
        if self.state.turn is not None:
            changing.note_stale(self.state.turn, control, by_rule)

    def revert_draft(self, control: ControlState) -> None:
        name = f"{type(control.form).__name__}.{control.name}"
        self.by_program(control.form, name, ("revert", control, "value"), lambda turn: drop_draft(turn, control))

    def focus(self, control: ControlState, select: bool) -> None:
        changing.may_change(self.state, control.form, f"the focus of {type(control.form).__name__}")
        self._after(("focus", control, "value"), lambda turn: focus.asked_for(turn, control, select))

    def delete_attribute(self, container: Container, name: str) -> None:
        form: OpenForm = container._state.form
        changing.may_change(self.state, form, f"{type(container).__name__}.{name}")
        if self.state.turn is not None:
            self.state.turn.undo.append((container, name, container.__dict__[name]))
        del container.__dict__[name]

    def sort_table(self, table: AnyControl, sort: tuple[str, bool]) -> None:
        name = f"the sort order of {type(table.form).__name__}.{table.name}"
        self.by_program(table.form, name, ("sort", table, "value"), lambda turn: changing.put_sort(turn, table, sort))

    def read_shared(self, shared: Shared[Any]) -> Any:
        """Return the session's value of a `Shared`."""
        return shared_node(self.state, shared).read("value")

    def put_shared(self, shared: Shared[Any], value: object) -> None:
        """Set the session's value of a `Shared`."""
        node = shared_node(self.state, shared)
        exact = None if value is None else shared.exact(value)
        if self.tracker is not None:
            raise RuleError(f"a rule, check or default can't set {node.name}; set it in a handler")
        self._put(("set", node.name, "value"), lambda turn: changing.put_shared(turn, node, exact))

    # ---- lines and records

    def add_line(self, lines: LineList, values: Mapping[str, object]) -> object:
        return self._at_lines(lines, "add a line to", lambda turn: line_changes.add(turn, lines, values))

    def remove_line(self, lines: LineList, line: Container) -> bool:
        return bool(self._at_lines(lines, "remove a line of", lambda turn: line_changes.remove(turn, lines, line)))

    def move_line(self, lines: LineList, line: Container, to: int) -> None:
        self._at_lines(lines, "move a line of", lambda turn: line_changes.reorder(turn, lines, line, to))

    def _at_lines(self, lines: LineList, verb: str, step: Callable[[Turn], object]) -> object:
        """Change lines, with a queue of their own."""
        done: list[object] = []

        def put(turn: Turn) -> None:
            with OwnQueue(turn):
                done.append(step(turn))

        self.by_program(lines.form, f"{type(lines.form).__name__}.{lines.name}", (verb, lines, "value"), put)
        return done[0] if done else None

    def writing(self) -> Turn:
        """Return the turn of the running handler, which may write records."""
        turn = self.state.turn
        if self.tracker is not None or turn is None:
            raise NotAllowedHere("records can only be written in a handler")
        return turn

    # ---- forms

    def ask(self, form: OpenForm, prompt: Prompt, facts: Mapping[str, object]) -> Answer:
        return ask(self.state, form, prompt, facts)

    def call_elsewhere(self, form: OpenForm, request: Callable[..., Any], args: tuple[object, ...], **options: Any) -> Any:
        return call_elsewhere(self.state, form, request, args, **options)

    def say(self, form: OpenForm, text: str, tone: Tone, stays: bool) -> None:
        name = f"the message of {type(form).__name__}"
        label = ("say", form._state.name, "value")
        self.by_program(form, name, label, lambda turn: changing.put_message(turn, form, text, tone, stays))

    def value_form(self, entry: object, text: str, title: str) -> type[Form]:
        return value_form(entry, text, title, self.formats)

    def open(self, form: OpenForm, child: type[Form], params: Mapping[str, object], how: Manner) -> Outcome:
        return open_dialog(self.state, self._opener_for(form), child, params, how)

    def _opener_for(self, form: OpenForm) -> OpenForm | None:
        """Return the opener of a form that this one opens: in its own `closed` handler, the one that has opened it."""
        turn = self.state.turn
        event = turn.event if turn is not None else None
        if event is not None and event.name == "closed" and event.form is form:
            opener: OpenForm | None = form._state.opener
            return opener
        return form

    def show(self, form: OpenForm, child: type[Form], params: Mapping[str, object], how: Manner) -> Form:
        shown: list[Form] = []

        def put(turn: Turn) -> None:
            shown.append(open_within(turn, child, params, self._opener_for(form), how))

        label = ("show", child.__name__, "value")
        if self._opener_for(form) is form:
            self.by_program(form, f"a form opened by {type(form).__name__}", label, put)
        else:
            self._put(label, put)
        return shown[0]

    def hide(self, form: OpenForm, hidden: bool) -> None:
        name = f"the visibility of {type(form).__name__}"
        label = ("hide" if hidden else "unhide", form._state.name, "value")
        self.by_program(form, name, label, lambda turn: changing.put_hidden(turn, form, hidden))

    def to_front(self, form: OpenForm) -> None:
        def put(turn: Turn) -> None:
            # Its own being hidden doesn't hold it back.
            if not form._state.hidden or self.state.stack.covered(form):
                cover = covering(self.state, form)
                if cover is not None:
                    raise NotAllowedHere(f"{type(form).__name__} can't come to the front: {cover[0]}")
            changing.put_hidden(turn, form, False)
            turn.note_form("step", form, "to_front")
            self.state.stack.bring_to_front(turn, form)

        self.by_program(form, f"{type(form).__name__} in front", ("to_front", form._state.name, "value"), put)

    def set_title(self, form: OpenForm, title: str) -> None:
        name, label = f"{type(form).__name__}.title", ("set_title", form._state.name, "value")
        put = lambda turn: changing.put_title(turn, form, title)  # noqa: E731
        self.by_program(form, name, label, put, callable(form._state.plan.title))

    def refresh(self, form: OpenForm) -> None:
        self._put(("refresh", form._state.name, "value"), lambda turn: changing.refresh_rules(turn, form))

    def close_form(self, form: OpenForm, verdict: str) -> None:
        if self.tracker is not None or self.state.closing:
            changing.may_change(self.state, form, f"closing {type(form).__name__}")
        if not verdict.strip():
            raise ValueError("close(''): the verdict can't be empty; use 'accepted', 'cancelled' or your own word")

        def end(turn: Turn) -> None:
            if form._state.phase == "open":
                (closing.submit(turn, form) if verdict == ACCEPTED else closing.dismiss(turn, form, verdict))

        self._after(("close", form._state.name, "value"), end)

    def afterwards(self, form: OpenForm, function: Callable[..., object], args: tuple[object, ...], caption: str) -> None:
        turn = self.state.turn
        if self.tracker is not None or turn is None:
            raise NotAllowedHere("call afterwards(…) in a handler")
        if not callable(function):
            raise TypeError(f"afterwards(…) takes a function, not {short(function)}")
        turn.outward = [*(turn.outward or ()), Effect(function, args, caption or words_of(function), turn.place)]

    def send(self, form: OpenForm, name: str, payload: object) -> None:
        def put(turn: Turn) -> None:
            by: By = "program" if turn.handler is not None else turn.by
            event = Event(name, form, None, None, payload, by, turn.cause, turn.event, turn.handler)
            event._custom = True
            turn.queue.append(event)

        named = f"{type(form).__name__}.{name}"
        self.by_program(form, f"custom event {named}", ("send", named, "value"), put)

    def listen(self, form: OpenForm, name: str, owner: object, handler: Handler) -> None:
        changing.may_change(self.state, form, f"a listener for {type(form).__name__}.{name}")
        # A key of its own: the same handler may be attached twice.
        key, listener = object(), (name, owner, handler)
        if self.state.turn is not None:
            self.state.turn.set_item(form._state, "listeners", key, listener)
        else:
            form._state.listeners = {**form._state.listeners, key: listener}  # not undone: no gesture runs

    # ---- latches

    def latch_answer(self, form: OpenForm, latch: Latch) -> str | None:
        answer: str | None = self.state.latches.read(latching.LatchRead(form, latch, latch.name))
        return answer

    def latch_when(self, form: OpenForm, latch: Latch) -> datetime | None:
        # Read as the answer is, so that rules follow it.
        if self.latch_answer(form, latch) is None:
            return None
        record = latching.found(self.state, form, latch, latch.name)
        return datetime.fromisoformat(record.when) if record is not None and record.when else None

    def set_latch(self, form: OpenForm, latch: Latch, answer: str) -> bool:
        done: list[bool] = []

        def put(turn: Turn) -> None:
            done.append(latching.set_latch(turn, form, latch, latch.name, answer))

        self.by_program(form, f"the latch {latch.name}", ("set", latch.name, "value"), put)
        return done[0]

    def reset_latch(self, form: OpenForm, latch: Latch) -> None:
        put = lambda turn: latching.reset_latch(turn, form, latch, latch.name)  # noqa: E731
        self.by_program(form, f"the latch {latch.name}", ("reset", latch.name, "value"), put)
