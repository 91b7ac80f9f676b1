"""Policies: texts of prompts and levels of checks that the office decides."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any, Final

from fuselatch.core.forms.plans import FormPlan
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.model.errors import DeclarationError, PolicyError
from fuselatch.core.model.findings import Level
from fuselatch.core.model.json_text import Plain
from fuselatch.core.model.names import suggest
from fuselatch.core.model.values import short

LEVELS: Final = ("refuse", "warn")
WORDS: Final = ("prompts", "checks", "failure_text")
PROMPT_WORDS: Final = ("text", "title", "buttons")
GENERAL: Final = "warnings_prompt"
"""The prompt that every form has."""


class PolicyRules:
    """A policy for forms, by class name. `source` is its name in errors.

    A form's `prompts` have `text`, `title` and `buttons` (declared to shown caption). Its `checks` have a level for a
    written check, or for a control's rule ("length.maximum"). `failure_text`: what the user reads if a handler fails.
    """

    def __init__(self, forms: Plain, source: str) -> None:
        self.source = source
        self.forms: dict[str, Plain] = {}
        for form, described in forms.items():
            where = f"[{form}]"
            self.forms[form] = self._table(described, where, WORDS)
            text = described.get("failure_text", "x")
            if not isinstance(text, str) or not text.strip():
                raise self.fail(where, f"failure_text must be text, not {short(text)}")
            for name, wanted in self._table(described.get("prompts", {}), f"[{form}.prompts]").items():
                self._prompt(wanted, f"[{form}.prompts.{name}]")
            for name, level in self._table(described.get("checks", {}), f"[{form}.checks]").items():
                if level not in LEVELS:
                    raise self.fail(f"[{form}.checks] {name}", f"must be 'refuse' or 'warn', not {short(level)}")

    def fail(self, where: str, problem: str) -> PolicyError:
        return PolicyError(f"{self.source}: {where} {problem}")

    def _table(self, found: object, where: str, words: Iterable[str] = ()) -> Plain:
        if not isinstance(found, dict):
            raise self.fail(where, "must be a table")
        for name in found:
            if words and name not in words:
                raise self.fail(where, f"has no key '{name}'; {suggest(name, list(words))}")
        return found

    def _prompt(self, wanted: Plain, where: str) -> None:
        self._table(wanted, where, PROMPT_WORDS)
        for word in ("text", "title"):
            if not isinstance(wanted.get(word, ""), str):
                raise self.fail(where, f"{word} must be text, not {wanted[word]!r}")
        buttons = self._table(wanted.get("buttons", {}), f"{where} buttons")
        for button, shown in buttons.items():
            if not isinstance(shown, str) or not shown.strip():
                raise self.fail(where, f"the new caption of '{button}' must be text, not {short(shown)}")

    def known(self, names: Iterable[str]) -> None:
        """Refuse a form name that doesn't exist."""
        names = list(names)
        for name in self.forms:
            if name not in names:
                raise self.fail(f"[{name}]", f"no imported form has this name; {suggest(name, names)}")

    def applied(self, form: Any) -> FormPlan:
        """Return a form's plan with this policy; raise `PolicyError` for an unknown name."""
        plan: FormPlan = form._plan
        for base in reversed(form.__mro__):
            described = self.forms.get(base.__name__)
            if described is not None:
                plan = self._levelled(plan, base.__name__, described.get("checks", {}))
                prompts = {**plan.prompts, GENERAL: form.warnings_prompt}
                plan = self._reworded(plan, base.__name__, described.get("prompts", {}), prompts)
                plan = replace(plan, failure_text=str(described.get("failure_text", plan.failure_text)))
        return plan

    def _reworded(self, plan: FormPlan, form: str, described: Plain, prompts: Mapping[str, Prompt]) -> FormPlan:
        reworded = dict(plan.reworded)
        for name, wanted in described.items():
            where = f"[{form}.prompts.{name}]"
            declared = prompts.get(name)
            if declared is None:
                raise self.fail(where, f"{plan.name} has no such prompt; {suggest(name, list(prompts))}")
            reworded[name] = self._shown(declared, wanted, where, plan)
        return replace(plan, reworded=reworded)

    def _shown(self, declared: Prompt, wanted: Plain, where: str, plan: FormPlan) -> Prompt:
        buttons: Mapping[str, str] = wanted.get("buttons", {})
        for button in buttons:
            if button not in declared.buttons:
                raise self.fail(where, f"no button '{button}'; {suggest(button, declared.buttons)}")
        try:
            shown = declared.reworded(wanted.get("text", declared.text), wanted.get("title", declared.title), buttons)
        except DeclarationError as error:
            raise self.fail(where, str(error)) from None
        for name in shown.fields:
            if name not in declared.fields and name not in plan.controls:
                known = [*declared.fields, *plan.controls]
                raise self.fail(
                    where,
                    f"text uses '{{{name}}}', which is neither a fact of this prompt nor a control; {suggest(name, known)}",
                )
        return shown

    def _levelled(self, plan: FormPlan, form: str, described: Mapping[str, Level]) -> FormPlan:
        if not described:
            return plan
        written = {check.name for control in plan.controls.values() for check in control.checks}
        declared = {f"{path}.{word}" for path, control in plan.controls.items() for word in control.decl.rule_names()}
        for name in described:
            if name not in written | declared:
                hint = suggest(name, [*sorted(written), *sorted(declared)])
                raise self.fail(f"[{form}.checks]", f"{plan.name} has no check '{name}'; {hint}")
        controls = {}
        for path, control in plan.controls.items():
            levels = {name.rpartition(".")[2]: level for name, level in described.items() if name.rpartition(".")[0] == path}
            checks = tuple(replace(check, level=described.get(check.name, check.level)) for check in control.checks)
            checked_by = tuple(replace(check, level=described.get(check.name, check.level)) for check in control.checked_by)
            controls[path] = replace(control, checks=checks, checked_by=checked_by, levels=levels or control.levels)
        return replace(plan, controls=controls)
