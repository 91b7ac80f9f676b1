"""Policy files: the office's texts and levels, as TOML."""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import Self

from fuselatch.core.forms.policy_rules import PolicyRules
from fuselatch.core.model.errors import PolicyError

__all__ = ["Policy", "PolicyError"]


class Policy(PolicyRules):
    """Texts of prompts and levels of checks from a file.

    `Session(…, policy=Policy.load("office.toml"))`; see docs/policy.md for the format.
    """

    @classmethod
    def load(cls, path: str | Path) -> Self:
        """Read a TOML file; raise `PolicyError` with one line."""
        try:
            text = Path(path).read_text(encoding="utf-8-sig")
        except OSError as error:
            raise PolicyError(f"{path}: {error.strerror or error}") from None
        except UnicodeDecodeError:
            raise PolicyError(f"{path}: not valid UTF-8; save the file as UTF-8") from None
        return cls.parse(text, str(path))

    @classmethod
    def parse(cls, text: str, source: str = "policy") -> Self:
        """Parse TOML text; `source` is its name in errors. Raises `PolicyError`."""
        try:
            return cls(tomllib.loads(text), source)
        except tomllib.TOMLDecodeError as error:
            raise PolicyError(f"{source}: not valid TOML: {error}") from None
