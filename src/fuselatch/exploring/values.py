"""The texts to enter: those that are likely to matter to a control."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from datetime import date, datetime, time
from decimal import Decimal
from typing import Final

from fuselatch.core.forms.plans import ControlPlan, FormPlan
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.patterns import texts_found
from fuselatch.core.model.values import Value
from fuselatch.report.reading import code_of, within

MOST: Final = 24
"""How many texts are tried in one control."""
LONGEST_CONSTANT: Final = 300
"""Longer constants aren't values."""
KEPT: Final = (int, float, Decimal, str, date, datetime, time)


class Values:
    """The texts to enter, by form and control: those that fit first.

    They come from the control's declaration (bounds, and one beyond; pattern and example), constants in the form's code,
    params of the form, and `words`: what existing cue sheets enter, by the control's name.
    """

    def __init__(self, formats: Formats, words: Mapping[str, Iterable[str]]) -> None:
        self.formats = formats
        self.words = {name: tuple(dict.fromkeys(texts)) for name, texts in words.items()}
        self._texts: dict[tuple[str, str], tuple[str, ...]] = {}
        self._constants: dict[str, tuple[object, ...]] = {}

    def texts(self, plan: FormPlan, control: ControlPlan, params: Mapping[str, object]) -> tuple[str, ...]:
        """Return the texts for an entry of an open form. The first of them are the likeliest to be accepted."""
        key = plan.name, control.path
        texts = self._texts.get(key)
        if texts is None:
            wanted = dict.fromkeys(self._all(plan, control, params))
            texts = self._texts[key] = tuple([text for text in wanted if len(text) <= LONGEST_CONSTANT][:MOST])
        return texts

    def _all(self, plan: FormPlan, control: ControlPlan, params: Mapping[str, object]) -> Iterator[str]:
        decl = control.decl
        yield from self.words.get(control.path, ())
        yield from self._shown(control, decl.sample())
        if decl.example:
            yield decl.example
        pattern = getattr(decl, "pattern", None)
        if pattern is not None:
            yield from texts_found(pattern)
        fitting = [*self.constants(plan), *plain_values(params.values())]
        for value in fitting:
            yield from self._as_text(control, value)
        yield ""
        for rule in decl.rule_names():
            wrong = decl.wrong(rule)
            if wrong is not None:
                yield from self._shown(control, wrong[1])
        for bound in ("minimum", "maximum"):
            limit = decl.constants.get(bound)
            if limit is not None and isinstance(limit, int | float | Decimal):
                yield from (self._number(control, each) for each in (limit, limit + 1, limit - 1))
        most = getattr(decl, "max_length", None)
        if most is not None and most <= LONGEST_CONSTANT:
            yield "x" * most
        yield from ("0", "1", "-1") if is_number(control) else ("x", " ")

    def constants(self, plan: FormPlan) -> tuple[object, ...]:
        """Return the constants in the code of a form's handlers, rules and checks."""
        constants = self._constants.get(plan.name)
        if constants is None:
            functions = [
                *(handler.function for handler in plan.handlers.values()),
                *(check.function for control in plan.controls.values() for check in control.checks),
                *(rule for control in plan.controls.values() for rule in control.decl.rules.values()),
            ]
            constants = self._constants[plan.name] = tuple(
                dict.fromkeys(constant for function in functions for constant in constants_of(function))
            )
        return constants

    def _as_text(self, control: ControlPlan, value: object) -> Iterator[str]:
        """Yield a value as the user would type it, and one beside a number; nothing if it is of another kind."""
        if is_number(control):
            if isinstance(value, int | float | Decimal):
                yield from (self._number(control, each) for each in (value, value + 1, value - 1))
        elif isinstance(value, str) and control.decl.as_is in (str, None):
            yield value
        elif control.decl.as_is is type(value):
            yield control.decl.show(value, self.formats)

    def _number(self, control: ControlPlan, value: Value) -> str:
        text: str = self.formats.show_number(value, control.decl.decimals)
        return text

    def _shown(self, control: ControlPlan, text: str) -> Iterator[str]:
        """Yield a text, a number as the locale writes it."""
        if text and is_number(control):
            try:
                yield self._number(control, Decimal(text))
                return
            except ArithmeticError:
                pass
        if text:
            yield text


def is_number(control: ControlPlan) -> bool:
    """Return True if a control holds a number."""
    return hasattr(control.decl, "of_number")


def constants_of(function: object) -> Iterator[object]:
    """Yield the constants in a function's code, without its docstring."""
    code = code_of(function)
    for part in within(code) if code is not None else ():
        doc = part.co_consts[0] if part.co_consts and isinstance(part.co_consts[0], str) else None
        for constant in part.co_consts:
            for value in constant if isinstance(constant, tuple | frozenset) else (constant,):
                if isinstance(value, int | float | str) and not isinstance(value, bool) and value is not doc:
                    yield value


def plain_values(values: Iterable[object], depth: int = 0) -> Iterator[object]:
    """Yield the plain values among some objects, a few of each collection."""
    for value in values:
        if isinstance(value, KEPT) and not isinstance(value, bool):
            yield value
        elif depth < 2 and isinstance(value, Mapping):
            yield from plain_values([*value.values()][:4], depth + 1)
        elif depth < 2 and isinstance(value, list | tuple):
            yield from plain_values(value[:4], depth + 1)
