"""The errors, by who caused them.

The developer: `DeclarationError`, `UnknownName`, `RuleError`, `NotAllowedHere`, `Blank`, `FormClosed`, `HandlerFailed`,
`EffectFailed`, `FuseBlown`. The user at the form: `Refused`. The data: `RecordError`, `StoreRefused`. The library:
`EngineFailed`.
`Abandoned` isn't an error: it tells a waiting handler that its session is closing.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final, Self, TypeVar

from fuselatch.core.model.visible import visible, visible_lines


class FuseLatchError(Exception):
    """The base class of all errors of Fuse Latch. They pickle and copy, and have their parts as attributes.

    Their text is safe to print: control and bidirectional characters are written out. `args` has it as it was raised.
    """

    def __str__(self) -> str:
        text = super().__str__()
        return text if text.isascii() and text.isprintable() else "\n".join(visible_lines(text, len(text)))

    def __reduce__(self) -> tuple[Callable[..., Any], tuple[Any, ...]]:
        # The default calls the class with the message alone, which most of them don't take.
        parts = {name: part if can_pickle(part) else stand_in(part) for name, part in self.__dict__.items()}
        return rebuilt, (type(self), self.args, parts)

    def __copy__(self) -> Self:
        return rebuilt(type(self), self.args, dict(self.__dict__))

    def __deepcopy__(self, memo: dict[int, Any]) -> Self:
        # The parts are facts about what happened, which nothing changes.
        return self.__copy__()


E = TypeVar("E", bound=FuseLatchError)


def can_pickle(part: object) -> bool:
    """Return True if an attribute of an error can be pickled, and read again."""
    # Imported only where an error is pickled: the core itself never does.
    from pickle import dumps, loads

    try:
        loads(dumps(part))
    except Exception:
        return False
    return True


def stand_in(part: object) -> object:
    """Return what is pickled in place of a part that can't be: of an exception its class and text."""
    return RuntimeError(describe(part)) if isinstance(part, BaseException) else repr(part)


def rebuilt(kind: type[E], args: tuple[object, ...], parts: dict[str, Any]) -> E:
    """Return an error as it was pickled or copied."""
    error = kind.__new__(kind)
    error.args = args
    error.__dict__.update(parts)
    error.__cause__ = parts.get("error")
    return error


class DeclarationError(FuseLatchError, TypeError):
    """A form, control, prompt or handler is declared wrongly. Says where, why and the fix."""


class PolicyError(FuseLatchError, ValueError):
    """A policy file can't be read or doesn't fit a form. Names file, table and closest name."""


class UnknownName(FuseLatchError, LookupError):
    """An unknown control, form, button or fact. Suggests the closest name."""


class Refused(FuseLatchError, RuntimeError):
    """The user can't make this gesture. Nothing changed.

    `gesture`: what was tried. `reason`: why it is refused. `line`: the number of the trace entry that caused it, or None.
    `is_stale`: it was made before a prompt or dialog could be seen.
    """

    def __init__(self, gesture: str, reason: str, line: int | None = None, is_stale: bool = False) -> None:
        super().__init__(f"{gesture}: {reason}" + (f" (trace entry {line})" if line else ""))
        self.gesture = gesture
        self.reason = reason
        self.line = line
        self.is_stale = is_stale


class RuleError(FuseLatchError, RuntimeError):
    """A rule, check or default tried to set something or to wait, or rules form a circle."""


class NotAllowedHere(FuseLatchError, RuntimeError):
    """A call outside of a handler that needs one, or while the session is closing."""


class TimedOut(FuseLatchError, TimeoutError):
    """A slow call took longer than its `timeout`. The function may still run; its result is dropped."""


class CallCancelled(FuseLatchError, RuntimeError):
    """The user cancelled a slow call. The function may still run; its result is dropped."""


class Blank(FuseLatchError, ValueError):
    """A value was read that can't be None, while a control is blank: `required_value`, or a required one of an outcome.

    `control`: its path.
    """

    def __init__(self, form: str, control: str, instead: str = "") -> None:
        instead = instead or f"check {control}.is_blank first, or use {control}.value"
        super().__init__(f"{form}.{control} is blank; {instead}")
        self.form = form
        self.control = control


class FormClosed(FuseLatchError, RuntimeError):
    """A closed form was changed or used."""


class HandlerFailed(FuseLatchError, RuntimeError):
    """The developer's code raised an exception; its gesture is undone.

    `where`: file and line (`(str, int)`). `error`: the exception. `chain`: the causes, from the failing code back to the
    gesture. `gesture`: the gesture that is undone, or "" if none is: a rule failed after another session's write, and its
    last value stays. The exception is also `__cause__`.
    """

    def __init__(self, where: tuple[str, int], error: BaseException, chain: tuple[str, ...], gesture: str) -> None:
        self.where = where
        self.error = error
        self.chain = chain
        self.gesture = gesture
        super().__init__(f"{where[0]}:{where[1]}: {describe(error)}; {self.story}")

    @property
    def story(self) -> str:
        """The causes and the gesture that is undone, without place and error."""
        done = f"undone: {self.gesture}" if self.gesture else "its last value stays"
        return f"in {' ← '.join(self.chain)}; {done}"


class EffectFailed(FuseLatchError, RuntimeError):
    """A call that a handler asked for with `afterwards` failed. Nothing is undone: what was written is written.

    `where`: file and line (`(str, int)`). `error`: the exception, which is also `__cause__`. `done`, `effect`, `not_tried`:
    the captions of the effects before it, its own, and of those after it. `gesture`: the gesture that is done otherwise.
    """

    def __init__(
        self,
        where: tuple[str, int],
        error: BaseException,
        done: tuple[str, ...],
        effect: str,
        not_tried: tuple[str, ...],
        gesture: str,
    ) -> None:
        self.where = where
        self.error = error
        self.done = done
        self.effect = effect
        self.not_tried = not_tried
        self.gesture = gesture
        rest = f"; not tried: {', '.join(not_tried)}" if not_tried else ""
        super().__init__(f"{where[0]}:{where[1]}: {describe(error)}; in '{effect}' after {gesture}, which is done{rest}")
        self.__cause__ = error


class FuseBlown(HandlerFailed):
    """Handlers keep triggering each other. `loop`: the events and handlers in turn."""

    def __init__(
        self, where: tuple[str, int], error: BaseException, chain: tuple[str, ...], gesture: str, loop: tuple[str, ...]
    ) -> None:
        super().__init__(where, error, chain, gesture)
        self.loop = loop


class Runaway(FuseLatchError, RecursionError):
    """The error in a `FuseBlown`: too many handler runs in one gesture or chain."""


class RecordError(FuseLatchError, TypeError):
    """A record has a value that its control can't hold.

    `record`: its source and key. `column`: the column. `key`, `caption`, `value`: what the user reads of it: the key, the
    control's caption and the value.
    """

    def __init__(self, record: str, column: str, problem: str, caption: str = "", value: object = "") -> None:
        super().__init__(f"{record}, column '{column}': {problem}")
        self.record = record
        self.column = column
        self.problem = problem
        self.key = record.rpartition("' ")[2]
        self.caption = caption or column
        self.value = value


class EngineFailed(FuseLatchError, RuntimeError):
    """The library itself failed. The session can't be used any more.

    `gesture`: what the user or the program did. `error`: the exception, which is also `__cause__`.
    """

    def __init__(self, gesture: str, error: BaseException) -> None:
        super().__init__(
            f"Fuse Latch failed at '{gesture}': {describe(error)}; "
            "this is an error of the library. The session can't be used any more"
        )
        self.gesture = gesture
        self.error = error
        self.__cause__ = error


class Abandoned(BaseException):
    """Raised in a waiting handler when its session closes, or the form that waits for a slow call; `finally` blocks run."""


MOST_DESCRIBED: Final = 100_000
"""The most characters of an error's text that are kept."""


def describe(error: BaseException) -> str:
    """Return an exception's class and text on one line, even if its `__str__` fails."""
    try:
        text = visible(" ".join(str(error).split()), MOST_DESCRIBED)
    except Exception:
        text = "(no message available)"
    if isinstance(error, Runaway):
        return text
    return f"{type(error).__name__}: {text}" if text else type(error).__name__
