"""Build a wheel with a compiled core, if `HATCH_BUILD_HOOK_ENABLE_CUSTOM` is set (docs/compiled.md)."""

from __future__ import annotations

import shutil
from contextlib import chdir
from pathlib import Path
from tempfile import mkdtemp
from typing import Any

from hatchling.builders.hooks.plugin.interface import BuildHookInterface


class Compiling(BuildHookInterface[Any]):
    """Compile the modules that pyproject.toml names. Their sources are also in the wheel."""

    def initialize(self, version: str, build_data: dict[str, Any]) -> None:
        """Compile to a temporary folder and add it to the wheel. Nothing is left beside the sources."""
        from mypyc.build import mypycify
        from setuptools import Distribution
        from setuptools.command.build_ext import build_ext

        self.folder = Path(mkdtemp(prefix="compiling-"))
        options = ["--config-file", str(Path(self.root, "pyproject.toml")), "--cache-dir", str(self.folder / "cache")]
        # From the source folder, so that tracebacks name no folder of the building machine.
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
        """Remove the folder."""
        shutil.rmtree(self.folder)
