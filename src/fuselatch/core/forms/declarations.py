"""Declarations: the controls of a form as its class states them.

A declaration is immutable and shared by all forms of the class. On an open form, the same name is the live control.
`Declaration[L]` knows the type of its live control. `InputControl[L, R, G]` also knows the type of its value (`R`) and of a
value that isn't blank (`G`), for type checkers and editors.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from decimal import Decimal
from typing import (
    TYPE_CHECKING,
    Any,
    ClassVar,
    Final,
    Generic,
    Literal,
    Self,
    TypeAlias,
    TypedDict,
    TypeVar,
    cast,
    overload,
)

from fuselatch.core.forms.controls import Live, LiveInput
from fuselatch.core.forms.deeds import NO_KEYS, Deed, Keys, Press, Write
from fuselatch.core.forms.defaults import LastEntered, NthChoice
from fuselatch.core.forms.live_state import current, is_left_out, is_masked, seen
from fuselatch.core.forms.prompts import Tone
from fuselatch.core.forms.rules import Constant, Rule, is_rule
from fuselatch.core.forms.sources import EventSource
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.events import CONTROL_EVENTS
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.keys import normal
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.names import NoSuchName, suggest
from fuselatch.core.model.properties import CONSTANTS, FLAGS, TONES, usual_of
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import adapted, anyhow, one_line, short, shown_as
from fuselatch.core.model.view import FieldPart, Part

Shape: TypeAlias = Literal["field", "choice", "tick", "button", "label", "table", "lines"]
"""The ways in which controls are drawn."""

WIDE: Final = 24
"""The width of a control that doesn't say how wide it is, in characters."""
USUAL_BYTES: Final = 10_000
"""The longest text for an entry that says no more (`max_length`), in bytes of UTF-8."""
MOST_BYTES: Final = 48_000
"""The longest text for any entry, in bytes of UTF-8."""

L_co = TypeVar("L_co", bound=Live, covariant=True)
R_co = TypeVar("R_co", covariant=True)
G_co = TypeVar("G_co", covariant=True)


class ControlOptions(TypedDict, total=False):
    """Options of every control: constants, or functions of the form.

    `keys`: a shortcut that presses the button or moves the focus to the control. `look`: a hint for drawing, one of the
    kind's looks.
    """

    enabled: bool | Rule[bool]
    visible: bool | Rule[bool]
    help: str | Rule[str]
    tone: Tone | Rule[Tone]
    keys: str
    look: str


class EntryOptions(ControlOptions, total=False):
    """More options of controls that can be filled in.

    `required="warn"`: a blank is a warning. `read_only=True`: the user can go there and copy, but not enter anything; the
    value is checked and saved as any other. `while_typing=True`: show markers from the first key. `column`: the record's
    column, if its name differs from the control's. `counts_as_change=False`: what is entered isn't a change of the form or
    of its record, as in a search box. `masked`: a value that a rule computes is masked if it is derived from a password,
    unless this says otherwise.
    """

    read_only: bool | Rule[bool]
    placeholder: str
    while_typing: bool
    column: str
    counts_as_change: bool
    masked: bool


if TYPE_CHECKING:
    from typing_extensions import TypeVar as WithDefault

    H = WithDefault("H", default=Any)
else:
    H = TypeVar("H")
"""The type of a control's value in an outcome. With a default, so that `Number` alone is a whole type for checkers."""

Needed: TypeAlias = bool | Literal["warn"] | Rule[bool]
"""The option `required`."""


class InputOptions(EntryOptions, total=False):
    """The options of controls that can be filled in, and whose value in an outcome has the same type in any case."""

    required: Needed


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


def press(live: Any, key: str) -> Iterator[Deed]:
    yield Press()


PRESSED: Final = Keys({"Enter": press, "Space": press})


class Source:
    """An event, as an attribute of a declaration: `length.changed`."""

    __slots__ = ("name",)

    def __init__(self, name: str) -> None:
        self.name = name

    def __get__(self, instance: Declaration[Any] | None, owner: type) -> EventSource:
        return EventSource(instance if instance is not None else owner, self.name)


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
    hovered = Source("hovered")
    unhovered = Source("unhovered")
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
        self.constants: dict[str, Any] = {key: value for key, value in properties.items() if not is_rule(value)}
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

    def keys(self, live: Any) -> Keys:
        """Return what it does with keys now. They come before those that mean the same on every form."""
        return PRESSED if self.pressed else NO_KEYS

    def taken_keys(self, live: Any) -> tuple[str, ...]:
        """Return the names of the keys that a front end leaves to it now."""
        return () if self.pressed else self.keys(live).names

    def written_by(self, key: str) -> str:
        """Return the text that a key writes into it, or ""."""
        return " " if key == "Space" else key if len(key) == 1 else ""

    def typed_in(self, live: Any, text: str) -> Iterable[Deed]:
        """Yield what comes of a text that is typed in place of what was typed before."""
        yield Write(text)

    def before_tab(self, live: Any) -> Iterable[Deed]:
        """Yield what Tab does before it settles the control and leaves it."""
        return ()

    def unfit(self, live: Any, gesture: Gesture) -> str:
        """Return why a gesture whose verb it accepts doesn't fit it, or ""."""
        if gesture.verb == "focus":
            return "" if self.takes_focus else f"{self.named} can't have the focus"
        return f"{self.named} has no items" if gesture.verb == "double" and (gesture.text or gesture.item) else ""

    def gestures(self, live: Any) -> Iterator[tuple[str, str]]:
        """Yield the verbs, with a text, that it accepts now besides those of every control: ("type", "") for any text."""
        return iter(())

    def items_meant(self, live: Any, gesture: Gesture) -> list[Any]:
        """Return the items that a gesture means, by id or by text."""
        return []

    def with_picked(self, live: Any, item: Any) -> Any:
        """Return the value after an item is picked."""
        return item

    def double_clicked_on(self, live: Any) -> Any:
        """Return what a double click is on, for its event."""
        return None

    def exact(self, live: Any, value: Any, where: str) -> Any:
        """Return a converted value as a program sets it. Raises `ValueError`; `where` is for messages."""
        return value

    def start(self, live: Any, default: Any) -> Any:
        """Return the value that a default starts it with; `UNSEEN` if it can't."""
        return None if isinstance(default, NthChoice) else self.coerce(default)

    def coerce(self, value: object) -> Any:
        """Convert a program's value to the control's type; raise `TypeError`."""
        raise NotImplementedError

    def of_column(self, live: Any, value: Any) -> Any:
        """Return a converted value of a record's column as it is stored here."""
        return value

    def asks_to_add(self, live: Any, value: Any) -> bool:
        """Return True if the user is asked whether a settled value should be added to its choices."""
        return False

    def order_of(self, live: Any) -> tuple[Any, ...]:
        """Return how a catalog's rows are sorted for it, in place of the catalog's own order."""
        return ()

    def inner(self, live: Any) -> Iterable[Any]:
        """Return the live controls inside it, in tab order."""
        return ()

    def outcome(self, live: Any) -> Any:
        """Return its value for the outcome; a blank if it is left out."""
        return live._plan.blank if is_left_out(live) else current(live, "value")

    def masked_paths(self, live: Any, path: str) -> Iterator[str]:
        """Yield the paths of masked values in the outcome."""
        if is_masked(live):
            yield path

    def hidden_state(self, live: Any) -> Iterator[tuple[str, Any]]:
        """Yield what only this kind remembers, which may make two sessions differ that look the same."""
        return iter(())

    def text_of(self, live: Any, formats: Formats) -> str:
        """Return the text that is shown of the settled value."""
        return "" if live._value is None else shown_as(self, live._value, formats)

    def column_text(self, live: Any, value: Any, formats: Formats) -> str:
        """Return a column's value as it is shown here."""
        try:
            wanted = getattr(self, "of_record", None)
            value = adapted(value, wanted) if value is not None and wanted is not None else value
            return str(self.show(self.coerce(value), formats))
        except Exception:
            # A store may hold what the control can't.
            return anyhow(value)

    def show(self, value: Any, formats: Formats) -> str:
        """Return a value as text."""
        return str(value)

    def part(self, live: Any, memo: Memo, formats: Formats) -> Part:
        """Return the part of the view that only its shape has."""
        raise NotImplementedError

    def items_between(self, live: Any, start: int, stop: int) -> tuple[Any, Any]:
        """Return items of a long list by position, as the view has them, and their cells."""
        return (), ()

    @classmethod
    def events(cls) -> tuple[str, ...]:
        """Return the events of this kind of control."""
        declared = {name for base in cls.__mro__ for name, value in vars(base).items() if isinstance(value, Source)}
        # Those of the library in their order, then those of a kind's own.
        return (*(name for name in CONTROL_EVENTS if name in declared), *sorted(declared - CONTROL_EVENTS.keys()))

    def __repr__(self) -> str:
        return f"<{type(self).__name__} {self.name or self.constants.get('caption')!r}>"


def name_of(declared: Any) -> str:
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
        found = getattr(self.decl, name)
        if not name.startswith("_") and isinstance(found, Declaration):
            return Within(self, found)
        if isinstance(found, EventSource):
            return EventSource(self, name)
        if isinstance(found, Within):
            return Within(self, found.decl)
        return found

    def __repr__(self) -> str:
        return f"<{self.name}>"


class InputControl(Declaration[L_co], Generic[L_co, R_co, G_co]):
    """A control that has a value and can be filled in.

    A subclass defines `coerce` (convert a program's value), `parse` (read typed text), `show` (write a value) and `validate`
    (find problems). It says how a value is entered (`enters`), what fits (`example`, `sample`) and what doesn't (`wrong`),
    its JSON type (`json`, `schema`), and the Python type that it is for in generated forms (`generated_for`).
    """

    live: ClassVar[type[Live]] = LiveInput
    accepts = frozenset({"type"})
    enters: ClassVar[str] = "type"
    """The verb that enters a value."""
    example: str = ""
    """Something to type that fits, if no rule refuses it."""
    json: ClassVar[Mapping[str, Any]] = {"type": "string"}
    generated_for: ClassVar[type | None] = None
    options = frozenset(InputOptions.__annotations__)
    takes_focus = True
    holds_value = True
    is_checked = True
    needed: ClassVar[str] = "required.entry"
    """The id of the text that is shown while a required control is blank."""
    holds_a: ClassVar[str] = "text"
    """The type of a field's text, for whoever draws it: text, number, date, time or datetime."""
    of_record: ClassVar[type | None] = None
    """The type that a record's value is converted to (None: no conversion)."""
    entered = Source("entered")
    leaving = Source("leaving")
    left = Source("left")
    changed = Source("changed")
    double_clicked = Source("double_clicked")

    def __init__(self, caption: str | Rule[str] = "", options: Mapping[str, Any] | None = None, **more: Any) -> None:
        """Declare a control. `options`: those to be checked by name; without them, all of `more` are options."""
        if options is None:
            options = {name: value for name, value in more.items() if name not in ("value", "default")}
            more = {"value": more.get("value"), "default": more.get("default")}
        given = more.get("value")
        if given is not None and not is_rule(given):
            try:
                more["value"] = Constant(self.coerce(given))
            except TypeError as error:
                raise DeclarationError(f"{type(self).__name__}({caption!r}): value: {error}") from None
        self.fields: dict[Formats, FieldPart] = {}
        super().__init__(caption, {**OF_ENTRIES, **options}, **more)

    @property
    def blank(self) -> R_co:
        """The control's blank value."""
        return None  # type: ignore[return-value]

    if TYPE_CHECKING:

        @property
        def holds(self) -> G_co:
            """The type of a value that isn't blank, for type checkers."""

        @property
        def handed_over(self) -> R_co:
            """The type of its value in an outcome, for type checkers."""

    def longest(self) -> int:
        """Return the longest text that a front end may send, in bytes of UTF-8."""
        return MOST_BYTES if (getattr(self, "max_length", None) or 0) * 4 > USUAL_BYTES else USUAL_BYTES

    def gestures(self, live: Any) -> Iterator[tuple[str, str]]:
        if live._rule or seen(live, "read_only") is True:
            return
        if "type" in self.accepts and self.is_typable():
            yield "type", ""

    def part(self, live: Any, memo: Memo, formats: Formats) -> Part:
        if live._cells is not None or live._set is not None:
            return self.field(live, formats)
        # All is constant, so that forms share it.
        found = self.fields.get(formats)
        if found is None:
            found = self.fields[formats] = self.field(live, formats)
        return found

    def field(self, live: Any, formats: Formats) -> FieldPart:
        """Return the part of the view of a field."""
        pattern = getattr(self, "pattern", None)
        return FieldPart(
            holds=self.holds_a,
            placeholder=seen(live, "placeholder") or "",
            minimum=self._bound(live, "minimum", formats),
            maximum=self._bound(live, "maximum", formats),
            multi_line=self.constants["look"] == "multi-line",
            secret=self.constants["look"] == "password",
            max_length=getattr(self, "max_length", None),
            longest=self.longest(),
            decimals=getattr(self, "decimals", None),
            pattern=getattr(pattern, "pattern", ""),
        )

    def _bound(self, live: Any, name: str, formats: Formats) -> str:
        limit = seen(live, name)
        return "" if limit is None or limit == "" else shown_as(self, limit, formats)

    def taken(self, text: str) -> str:
        """Return what of a typed or pasted text gets into the field: one line, without control characters."""
        return text if text.isprintable() else one_line(text)

    def settled(self, draft: str) -> str:
        """Return what of a draft is parsed."""
        return draft.strip()

    def parse(self, text: str, live: Any, formats: Formats) -> Any:
        """Convert settled text to a value; raise `Unparsable`."""
        raise NotImplementedError

    rule_words: ClassVar[tuple[str, ...]] = ("required",)

    def validate(self, live: Any, value: Any, formats: Formats) -> list[Finding]:
        """Return the findings of the declared rules for a value."""
        required = self.constants["required"] if live._cells is None and live._set is None else live.required
        if required and (value == self.blank or value is False):
            return [Finding(user_text(formats, self.needed), "warn" if required == "warn" else "refuse", "required")]
        return []

    # ---- what the kind says of itself

    def details(self) -> Iterator[str]:
        default = self.constants.get("default")
        if isinstance(default, NthChoice | LastEntered):
            yield f"default {default!r}"
        yield from super().details()

    def sample(self, first_choice: str = "") -> str:
        """Return text that fits the rules, or "" if it can't be guessed. `first_choice`: an item that was offered."""
        for word in ("minimum", "maximum"):
            if self.constants.get(word) is not None:
                return plain_text(self.constants[word])
        return self.example

    def wrong(self, rule: str) -> tuple[str, str] | None:
        """Return a verb and a text that a declared rule refuses, or None if it can't be guessed."""
        if rule == "required":
            return "clear", ""
        limit = self.constants.get(rule)
        if rule in ("minimum", "maximum") and isinstance(limit, int | float | Decimal):
            return "type", plain_text(limit - 1 if rule == "minimum" else limit + 1)
        return None

    def schema(self, needed: bool) -> dict[str, Any]:
        """Return the JSON Schema of the value. If it isn't `needed`, it may be null."""
        return {**self.json} if needed else {**self.json, "type": [self.json["type"], "null"]}


def plain_text(value: object) -> str:
    """Return a number as people type it."""
    return f"{value:g}" if isinstance(value, float) else str(value)


NO_LIMITS = (("min_length", 0), ("min_items", 0))


def limits(word: str, given: object) -> bool:
    """Return True if a declared property limits the value. 0 is a limit, but at least 0 characters or items is none."""
    return given is not None and given is not False and given != "" and (word, given) not in NO_LIMITS
