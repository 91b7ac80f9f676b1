"""Policy files: management's texts and levels, as TOML."""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import Self

from fuselatch.core.forms.policy import Rules
from fuselatch.core.model.errors import PolicyError


class Policy(Rules):
    """Texts of prompts and levels of checks that a file decides, not the code.

    `Session(…, policy=Policy.load("desk.toml"))`; docs/policy.md has the format.
    """

    @classmethod
    def load(cls, path: str | Path) -> Self:
        """Read a TOML file; raises `PolicyError`, one line, for what can't be read or understood."""
        try:
            text = Path(path).read_text(encoding="utf-8-sig")
        except OSError as error:
            raise PolicyError(f"{path}: {error.strerror or error}") from None
        except UnicodeDecodeError:
            raise PolicyError(f"{path}: not valid UTF-8; save the file as UTF-8") from None
        return cls.parse(text, str(path))

    @classmethod
    def parse(cls, text: str, source: str = "policy") -> Self:
        """Understand a TOML text; `source` is what errors call it. Raises `PolicyError`."""
        try:
            return cls(tomllib.loads(text), source)
        except tomllib.TOMLDecodeError as error:
            raise PolicyError(f"{source}: not valid TOML: {error}") from None
