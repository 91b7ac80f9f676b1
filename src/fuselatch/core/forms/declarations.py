"""Declarations: the controls of a form as its class states them.

A declaration is immutable and shared by all forms of the class. On an open form, the same name is the live control.
`Declaration[L]` knows the type of its live control. `InputControl[L, R, G]` also knows the type of its value (`R`) and of a
value that isn't blank (`G`), for type checkers and editors.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import (
    TYPE_CHECKING,
    Any,
    ClassVar,
    Final,
    Generic,
    Literal,
    Self,
    TypeAlias,
    TypeVar,
    cast,
    overload,
)

from fuselatch.core.forms.attaching import OwnedEvent
from fuselatch.core.forms.control_options import ControlOptions, limits
from fuselatch.core.forms.controls import Live
from fuselatch.core.forms.deeds import NO_KEYS, Deed, Keys, Press, Write
from fuselatch.core.forms.defaults import NthChoice
from fuselatch.core.forms.live_state import ControlState, current, is_left_out, is_masked
from fuselatch.core.forms.rules import Constant, Rule, is_rule
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.events import CONTROL_EVENTS
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.keys import normal
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.names import NoSuchName, suggest
from fuselatch.core.model.properties import CONSTANTS, FLAGS, TONES, usual_of
from fuselatch.core.model.values import Value, adapted, anyhow, short, shown_as
from fuselatch.core.model.view import Part

Shape: TypeAlias = Literal["field", "choice", "tick", "button", "label", "table", "lines"]
"""The ways in which controls are drawn."""

WIDE: Final = 24
"""The width of a control that doesn't say how wide it is, in characters."""
L_co = TypeVar("L_co", bound=Live, covariant=True)
ALWAYS: Final = usual_of("all")
OF_ENTRIES: Final = usual_of("entry")


class Memo:
    """The memory of a control's view from one time to the next. A kind may keep here what is costly to make."""

    __slots__ = ("group", "id", "made_from", "part")

    def __init__(self, id: str, group: str) -> None:
        self.id = id
        self.group = group
        self.part: Any = None
        self.made_from: Any = None


def press(live: ControlState, key: str) -> Iterator[Deed]:
    yield Press()


PRESSED: Final = Keys({"Enter": press, "Space": press})


class Raises:
    """An event, as an attribute of a declaration: `length.changed`."""

    __slots__ = ("name",)

    def __init__(self, name: str) -> None:
        self.name = name

    def __get__(self, instance: Declaration[Any] | None, owner: type) -> OwnedEvent:
        return OwnedEvent(instance if instance is not None else owner, self.name)


class Declaration(Generic[L_co]):
    """A declared control. On the class it is itself, on a form it is the live control.

    A kind of control describes itself, and the engine asks it by the methods of this class: its name in views (`kind`) and
    in messages (`named`), the gestures that it accepts, the keys that it takes, how it is drawn (`shape`, `part`), what of a
    value is stored, and what else a declaration has to say (`details`). `live`: the live control that is asked about.
    """

    kind: ClassVar[str] = "control"
    named: ClassVar[str] = "a control"
    accepts: ClassVar[frozenset[str]] = frozenset()
    """The verbs of gestures that not every kind accepts."""
    shape: ClassVar[Shape] = "field"
    pressed: ClassVar[bool] = False
    """True if Enter, Space and its shortcut press it."""
    is_group: ClassVar[bool] = False
    has_lines: ClassVar[bool] = False
    """True if it has lines, each with controls of its own."""
    has_columns: ClassVar[bool] = False
    """True if its choices are rows in columns."""
    offers: ClassVar[bool] = False
    """True if its value is among choices, which a rule may compute."""
    lists: ClassVar[bool] = False
    """True if its live control decides what its value reads as."""
    live: ClassVar[type[Live]] = Live
    options: ClassVar[frozenset[str]] = frozenset(ControlOptions.__annotations__)
    looks: ClassVar[tuple[str, ...]] = ()
    takes_focus: ClassVar[bool] = False
    holds_value: ClassVar[bool] = False
    is_checked: ClassVar[bool] = False
    """True if declared rules and written checks can have findings of it."""
    as_is: ClassVar[type | None] = None
    """The type whose values need no conversion, if they are finite or not white space."""
    multiple: bool = False
    """True if its value is several items."""
    made: Any = None
    """The catalog of rows that a function returns, for a table."""
    unit: str = ""
    closes: str | None = None
    submits: bool = False
    after_submit: str = "next"
    hovered = Raises("hovered")
    unhovered = Raises("unhovered")
    name: str = ""
    """The attribute that it is assigned to, which is also its path in the form."""
    has_caption: bool = True
    """True if it was declared with a caption."""

    def __init__(self, caption: str | Rule[str], options: Mapping[str, Any], **more: Any) -> None:
        for option in options:
            if option not in self.options:
                hint = suggest(option, sorted({*self.options, *self.parameters()}))
                raise DeclarationError(f"{type(self).__name__}({caption!r}): unknown option '{option}'; {hint}")
        properties = {**ALWAYS, "caption": caption, **options, **more}
        self.rules: dict[str, Any] = {key: value for key, value in properties.items() if is_rule(value)}
        self.constants: dict[str, Value] = {key: value for key, value in properties.items() if not is_rule(value)}
        self._look_at_constants(f"{type(self).__name__}({caption!r})")

    @classmethod
    def parameters(cls) -> tuple[str, ...]:
        """Return the names that its declaration takes besides `options`."""
        code: Any = cls.__init__.__code__
        return tuple(code.co_varnames[2 : code.co_argcount + code.co_kwonlyargcount])

    def _look_at_constants(self, where: str) -> None:
        """Refuse wrong constants."""
        constants = self.constants
        for option in CONSTANTS & self.rules.keys():
            raise DeclarationError(f"{where}: {option} must be a constant, not a function")
        for option in FLAGS & constants.keys():
            given = constants[option]
            if not isinstance(given, bool) and (option, given) != ("required", "warn"):
                words = 'True, False, "warn"' if option == "required" else "True, False"
                words = "True or False" if option in CONSTANTS else f"{words} or a rule"
                raise DeclarationError(f"{where}: {option} must be {words}, not {short(given)}")
        if "masked" in constants and ("value" not in self.rules or isinstance(self.rules["value"], Constant)):
            raise DeclarationError(f'{where}: masked is for a value that a rule computes; use look="password" for an entry')
        for option, allowed in (("tone", TONES), ("look", self.looks)):
            given = constants.get(option)
            if given and given not in allowed:
                raise DeclarationError(f"{where}: unknown {option} '{given}'; {suggest(given, allowed)}")
        if constants.get("keys"):
            try:
                constants["keys"] = normal(constants["keys"])
            except ValueError as error:
                raise DeclarationError(f"{where}: keys: {error}") from None

    def __set_name__(self, owner: type, name: str) -> None:
        if not self.name:
            self.name = name
            if self.constants.get("caption") == "":
                self.has_caption = False
                self.constants["caption"] = name.replace("_", " ").capitalize()

    @overload
    def __get__(self, instance: None, owner: type) -> Self: ...
    @overload
    def __get__(self, instance: object, owner: type) -> L_co: ...
    def __get__(self, instance: object | None, owner: type) -> Self | L_co:
        if instance is None:
            return self
        if instance.__dict__.get("_declared") is not None:
            within: Any = Within(instance, self)
            return cast(L_co, within)
        # An open form has its live controls in its own dict, where Python looks first.
        raise AttributeError(f"{type(instance).__name__} isn't open, so '{self.name}' has no live control")

    if not TYPE_CHECKING:

        def __getattr__(self, name: str) -> Any:
            kind, events = type(self).__name__, self.events
            if name in CONTROL_EVENTS:
                raise DeclarationError(f"{self.named} has no event '{name}'; {suggest(name, events())}")
            raise NoSuchName(lambda: f"a declared {kind} has no attribute '{name}'; {suggest(name, events())}")

    rule_words: ClassVar[tuple[str, ...]] = ()
    """The properties that are rules about the value."""

    def rule_names(self) -> tuple[str, ...]:
        """Return the declared rules that can have a finding."""
        declared = {**self.constants, **vars(self)}
        return tuple(word for word in self.rule_words if word in self.rules or limits(word, declared.get(word)))

    def has_rules(self) -> bool:
        """Return True if a declared rule can have a finding."""
        return bool(self.rule_names())

    def width(self) -> int:
        """Return how many characters wide it should be drawn."""
        return WIDE

    def details(self) -> Iterator[str]:
        """Yield what only this kind declares, in words."""
        if self.constants.get("column"):
            yield f"column {self.constants['column']}"
        if self.constants.get("counts_as_change") is False:
            yield "doesn't count as a change"
        if "masked" in self.constants:
            yield "masked" if self.constants["masked"] else "not masked"

    # ---- what the engine asks of a kind

    def is_typable(self) -> bool:
        """Return True if text can be typed into it."""
        return "typed" in self.events() and not self.multiple

    def is_selected_whole(self) -> bool:
        """Return True if its text is selected when the user comes to it by keyboard."""
        return True

    def keys(self, live: ControlState) -> Keys:
        """Return what it does with keys now. They come before those that mean the same on every form."""
        return PRESSED if self.pressed else NO_KEYS

    def taken_keys(self, live: ControlState) -> tuple[str, ...]:
        """Return the names of the keys that a front end leaves to it now."""
        return () if self.pressed else self.keys(live).names

    def written_by(self, key: str) -> str:
        """Return the text that a key writes into it, or ""."""
        return " " if key == "Space" else key if len(key) == 1 else ""

    def typed_in(self, live: ControlState, text: str) -> Iterable[Deed]:
        """Yield what comes of a text that is typed in place of what was typed before."""
        yield Write(text)

    def before_tab(self, live: ControlState) -> Iterable[Deed]:
        """Yield what Tab does before it settles the control and leaves it."""
        return ()

    def unfit(self, live: ControlState, gesture: Gesture) -> str:
        """Return why a gesture whose verb it accepts doesn't fit it, or ""."""
        if gesture.verb == "focus":
            return "" if self.takes_focus else f"{self.named} can't have the focus"
        return f"{self.named} has no items" if gesture.verb == "double" and (gesture.text or gesture.item) else ""

    def gestures(self, live: ControlState) -> Iterator[tuple[str, str]]:
        """Yield the verbs, with a text, that it accepts now besides those of every control: ("type", "") for any text."""
        return iter(())

    def items_meant(self, live: ControlState, gesture: Gesture) -> list[Value]:
        """Return the items that a gesture means, by id or by text."""
        return []

    def with_picked(self, live: ControlState, item: object) -> Value:
        """Return the value after an item is picked."""
        return item

    def double_clicked_on(self, live: ControlState) -> Value:
        """Return what a double click is on, for its event."""
        return None

    def exact(self, live: ControlState, value: object, where: str) -> Value:
        """Return a converted value as a program sets it. Raises `ValueError`; `where` is for messages."""
        return value

    def start(self, live: ControlState, default: object) -> Value:
        """Return the value that a default starts it with; `UNSEEN` if it can't."""
        return None if isinstance(default, NthChoice) else self.coerce(default)

    def coerce(self, value: object) -> Value:
        """Convert a program's value to the control's type; raise `TypeError`."""
        raise NotImplementedError

    def of_column(self, live: ControlState, value: object) -> Value:
        """Return a converted value of a record's column as it is stored here."""
        return value

    def asks_to_add(self, live: ControlState, value: object) -> bool:
        """Return True if the user is asked whether a settled value should be added to its choices."""
        return False

    def order_of(self, live: ControlState) -> tuple[Value, ...]:
        """Return how a catalog's rows are sorted for it, in place of the catalog's own order."""
        return ()

    def inner(self, live: ControlState) -> Iterable[ControlState]:
        """Return the live controls inside it, in tab order."""
        return ()

    def outcome(self, live: ControlState) -> Value:
        """Return its value for the outcome; a blank if it is left out."""
        return live._plan.blank if is_left_out(live) else current(live, "value")

    def masked_paths(self, live: ControlState, path: str) -> Iterator[str]:
        """Yield the paths of masked values in the outcome."""
        if is_masked(live):
            yield path

    def hidden_state(self, live: ControlState) -> Iterator[tuple[str, Value]]:
        """Yield what only this kind remembers, which may make two sessions differ that look the same."""
        return iter(())

    def text_of(self, live: ControlState, formats: Formats) -> str:
        """Return the text that is shown of the settled value."""
        return "" if live._value is None else shown_as(self, live._value, formats)

    def column_text(self, live: ControlState, value: object, formats: Formats) -> str:
        """Return a column's value as it is shown here."""
        try:
            wanted = getattr(self, "of_record", None)
            value = adapted(value, wanted) if value is not None and wanted is not None else value
            return str(self.show(self.coerce(value), formats))
        except Exception:
            # A store may hold what the control can't.
            return anyhow(value)

    def show(self, value: Value, formats: Formats) -> str:
        """Return a value as text."""
        return str(value)

    def part(self, live: ControlState, memo: Memo, formats: Formats) -> Part:
        """Return the part of the view that only its shape has."""
        raise NotImplementedError

    def items_between(self, live: ControlState, start: int, stop: int) -> tuple[Any, Any]:
        """Return items of a long list by position, as the view has them, and their cells."""
        return (), ()

    @classmethod
    def events(cls) -> tuple[str, ...]:
        """Return the events of this kind of control."""
        declared = {name for base in cls.__mro__ for name, value in vars(base).items() if isinstance(value, Raises)}
        # Those of the library in their order, then those of a kind's own.
        return (*(name for name in CONTROL_EVENTS if name in declared), *sorted(declared - CONTROL_EVENTS.keys()))

    def __repr__(self) -> str:
        return f"<{type(self).__name__} {self.name or self.constants.get('caption')!r}>"


def name_of(declared: object) -> str:
    """Return the name of a declared control or group, or its path in a group."""
    if isinstance(declared, Within):
        return declared.name
    group = getattr(declared, "__dict__", {}).get("_declared")
    name: str = getattr(declared if group is None else group, "name", "")
    return name


class Within:
    """A control of a declared group, as a class body names it: `home.street`."""

    __slots__ = ("decl", "outer")

    def __init__(self, outer: Any, decl: Any) -> None:
        self.outer = outer
        self.decl = decl

    @property
    def name(self) -> str:
        """The path in the form or group that declares the outer group."""
        return f"{name_of(self.outer)}.{name_of(self.decl)}"

    def __getattr__(self, name: str) -> Any:
        value = getattr(self.decl, name)
        if not name.startswith("_") and isinstance(value, Declaration):
            return Within(self, value)
        if isinstance(value, OwnedEvent):
            return OwnedEvent(self, name)
        if isinstance(value, Within):
            return Within(self, value.decl)
        return value

    def __repr__(self) -> str:
        return f"<{self.name}>"
