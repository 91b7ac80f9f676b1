"""Print the oldest versions that pyproject.toml allows, as constraints for pip: those of the library, not of its tests."""

import sys
import tomllib
from pathlib import Path

PROJECT = tomllib.loads(Path(__file__).parents[1].joinpath("pyproject.toml").read_text(encoding="utf-8"))["project"]
EXTRAS = {name: needs for name, needs in PROJECT["optional-dependencies"].items() if name not in ("test", "collation")}
NEEDED = [each for needs in (PROJECT["dependencies"], *EXTRAS.values()) for each in needs if ">=" in each]

sys.stdout.write("".join(sorted({each.replace("[binary]", "").replace(">=", "==") + "\n" for each in NEEDED})))
