"""The options of a session: the place where their names, types and defaults stand.

`Session`, `Scene`, `rehearse` and cue sheets take them by these names. A scene has `now` and `locale` instead of `clock`
and `formats`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Final, Self, TypeAlias, TypedDict

from fuselatch.core.engine.state.observer import Observer
from fuselatch.core.engine.state.offers import Offered
from fuselatch.core.engine.state.store import Store
from fuselatch.core.forms.policy_rules import PolicyRules
from fuselatch.core.model.latch_records import LatchStore
from fuselatch.core.model.locale_formats import Formats, PlainFormats
from fuselatch.core.model.names import suggest

MAX_RUNS: Final = 10_000
"""Handler runs in one gesture before the fuse blows."""
PLAIN: Final = PlainFormats()


FailureLog: TypeAlias = Callable[[BaseException], object]
"""Is called with the error of each gesture that failed, for a log."""


class CommonOptions(TypedDict, total=False):
    """The options that a session and a scene have alike, for type checkers. `Common` says what each is."""

    user: str
    services: Mapping[type, object]
    latches: LatchStore | None
    policy: PolicyRules | None
    forms: Offered
    at: object
    only: Mapping[str, object] | None
    observers: Iterable[Observer]
    max_runs: int
    on_failure: FailureLog | None


class SessionOptions(CommonOptions, total=False):
    """The options of `Session`, for type checkers."""

    clock: Callable[[], datetime] | None
    formats: Formats
    records: Store | None
    recording: bool
    params: Mapping[str, object]


@dataclass(kw_only=True)
class Common:
    """The options that a session and a scene have alike.

    `forms`: forms that the user can open by name or shortcut; classes, or a mapping of classes to parameters. `at`, `only`:
    the first record and the rows of a bound form (see `Form.open`). `services`: a mapping of classes to objects. `latches`:
    a latch store. `policy`: a `Policy`. `max_runs`: handler runs allowed per gesture. `observers`: told what happens (see
    `Observer`). `on_failure`: called with the error of a gesture that failed; `feed` raises it in any case.
    """

    user: str = ""
    services: Mapping[type, object] = field(default_factory=dict)
    latches: LatchStore | None = None
    policy: PolicyRules | None = None
    forms: Offered = ()
    at: object = None
    only: Mapping[str, object] | None = None
    observers: Iterable[Observer] = ()
    max_runs: int = MAX_RUNS
    on_failure: FailureLog | None = None


@dataclass(kw_only=True)
class Options(Common):
    """The options of one session. `records`: a store. `recording=False`: no trace."""

    clock: Callable[[], datetime] | None = None
    formats: Formats = PLAIN
    records: Store | None = None
    recording: bool = True
    params: Mapping[str, object] = field(default_factory=dict)

    @classmethod
    def of(cls, given: Mapping[str, object]) -> Self:
        """Return options by name. Raises `TypeError` for an unknown one."""
        made = object.__new__(cls)
        # Setting the fields one by one would cost a tenth of opening a form.
        made.__dict__.update(USUAL)
        made.__dict__.update(given)
        if len(made.__dict__) > len(USUAL):
            name = next(name for name in given if name not in USUAL)
            raise TypeError(f"Session(…): no option '{name}'; {suggest(name, USUAL)}")
        if type(made.max_runs) is not int or made.max_runs < 1:
            raise TypeError(f"Session(…): max_runs must be a number of handler runs, not {made.max_runs!r}")
        observers: object = made.observers
        # A tuple, because looking at a generator uses it up.
        watching = tuple(observers) if isinstance(observers, Iterable) else (observers,)
        made.__dict__["observers"] = watching
        if watching and (watching[0] is observers or not all(isinstance(one, Observer) for one in watching)):
            raise TypeError("Session(…): observers must be a list of Observer objects, such as [coverage]")
        return made


USUAL: Final[Mapping[str, object]] = dict(vars(Options()))
"""The value of each option of a session that isn't given."""
COMMON: Final[Mapping[str, object]] = dict(vars(Common()))
"""The same for the options that a scene has, too."""
