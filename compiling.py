"""Building a wheel whose core is compiled, where `HATCH_BUILD_HOOK_ENABLE_CUSTOM` is set (docs/compiled.md)."""

from __future__ import annotations

import shutil
from contextlib import chdir
from pathlib import Path
from tempfile import mkdtemp
from typing import Any

from hatchling.builders.hooks.plugin.interface import BuildHookInterface


class Compiling(BuildHookInterface[Any]):
    """Compiles the modules that pyproject.toml names; their sources go into the wheel, too."""

    def initialize(self, version: str, build_data: dict[str, Any]) -> None:
        """Compile into a folder of its own, and have the wheel take it in; nothing is left beside the sources."""
        from mypyc.build import mypycify
        from setuptools import Distribution
        from setuptools.command.build_ext import build_ext

        self.folder = Path(mkdtemp(prefix="compiling-"))
        options = ["--config-file", str(Path(self.root, "pyproject.toml")), "--cache-dir", str(self.folder / "cache")]
        # From where they lie, so that tracebacks name no folder of the machine that built them.
        with chdir(Path(self.root, "src")):
            files = [f"fuselatch/core/{module}.py" for module in self.config["modules"]]
            modules = mypycify([*options, *files], target_dir=str(self.folder))
            build = build_ext(Distribution({"name": "fuselatch", "ext_modules": modules}))
            build.build_lib, build.build_temp = str(self.folder / "lib"), str(self.folder / "temp")
            build.ensure_finalized()
            build.run()
        for made in (self.folder / "lib").rglob("*.*"):
            build_data["force_include"][str(made)] = str(made.relative_to(self.folder / "lib"))
        build_data["pure_python"] = False
        build_data["infer_tag"] = True

    def finalize(self, version: str, build_data: dict[str, Any], artifact_path: str) -> None:
        """Take the folder away."""
        shutil.rmtree(self.folder)
