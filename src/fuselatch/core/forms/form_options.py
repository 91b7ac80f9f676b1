"""The options of a form class, `class Till(Form, title="Till", idle=60)`: one row each, with what may be given."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Final, Literal, NamedTuple, TypedDict

from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.latch import Latch
from fuselatch.core.forms.rules import Rule
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.keys import normal
from fuselatch.core.model.names import suggest
from fuselatch.core.model.values import short


class FormOptions(TypedDict, total=False):
    """The options of a form class, for type checkers. `Form` says what each is."""

    title: str | Rule[str] | None
    without: tuple[str, ...]
    confirm_discard: str
    keys: str
    at_start: bool
    records: str | None
    on_leave: Literal["save", "ask"]
    on_conflict: Literal["ask", "theirs", "refuse"]
    tabs: bool
    idle: float | None
    done_text: Mapping[str, str]


class Allowed(NamedTuple):
    """The values that an option may have, in words and as a test."""

    words: str
    fits: Callable[[object], bool]


def is_seconds(given: object) -> bool:
    """Return True for None and a number above 0."""
    return given is None or (not isinstance(given, bool) and isinstance(given, int | float) and given > 0)


def are_texts(given: object) -> bool:
    """Return True for a mapping of texts to texts."""
    return isinstance(given, Mapping) and all(isinstance(word, str) for pair in given.items() for word in pair)


def one_of(*words: str) -> Allowed:
    """Return what an option with a few words may be."""
    *most, last = [repr(word) for word in words]
    return Allowed(f"{', '.join(most)} or {last}", lambda given: given in words)


TRUTH: Final = Allowed("True or False", lambda given: isinstance(given, bool))
CHECKED: Final[Mapping[str, Allowed]] = {
    "at_start": TRUTH,
    "tabs": TRUTH,
    "idle": Allowed("a number of seconds above 0", is_seconds),
    "done_text": Allowed('a mapping of verdicts to texts, as {"accepted": "Thank you"}', are_texts),
    "on_leave": one_of("save", "ask"),
    "on_conflict": one_of("ask", "theirs", "refuse"),
}
"""The options whose values are few."""


def check_options(where: str, given: Mapping[str, object]) -> None:
    """See that a form class has no unknown option, and none with a wrong value. Raises `DeclarationError`."""
    for option, value in given.items():
        if option not in FormOptions.__annotations__:
            raise DeclarationError(f"{where}: unknown option '{option}'; {suggest(option, FormOptions.__annotations__)}")
        allowed = CHECKED.get(option)
        if allowed is not None and not allowed.fits(value):
            raise DeclarationError(f"{where}: {option} must be {allowed.words}, not {short(value)}")


def shortcut(where: str, keys: str) -> str:
    """Return a form's shortcut in its one spelling. Raises `DeclarationError`."""
    try:
        return normal(keys) if keys else ""
    except ValueError as error:
        raise DeclarationError(f"{where}: keys: {error}") from None


def bound_to(form: type[OpenForm]) -> str:
    """Return the record source of a base class, or ""."""
    return next((vars(base)["_plan"].records for base in form.__mro__[1:] if "_plan" in vars(base)), "")


def must_need_no_records(where: str, form: type[OpenForm]) -> None:
    """Raise `DeclarationError` if a form without records has something that is kept with them."""
    for path, placed in form._plan.controls.items():
        if getattr(placed.decl, "records", ""):
            raise DeclarationError(f"{where}: {path}: Lines with records= need a form with records=")
    for name, latch in latches_of(form):
        if "saved_record" in latch.per:
            raise DeclarationError(f'{where}: {name}: a latch per="saved_record" needs a form with records=')


def latches_of(form: type[OpenForm]) -> Iterator[tuple[str, Latch]]:
    """Yield the latches of a form class, of its prompts and of its checks, by name."""
    for base in form.__mro__:
        for name, member in vars(base).items():
            latch = member if isinstance(member, Latch) else getattr(member, "latch", None)
            if isinstance(latch, Latch):
                yield name, latch
    for control in form._plan.controls.values():
        for check in control.checks:
            if check.latch is not None:
                yield check.name, check.latch
