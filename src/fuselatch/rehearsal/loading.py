"""Loading what a cue sheet names: a scene or a form, from installed packages or given folders."""

from __future__ import annotations

import importlib
import importlib.util
import inspect
import pkgutil
import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from types import ModuleType
from typing import Any

from fuselatch.core.forms.form import Form
from fuselatch.core.model.errors import describe
from fuselatch.core.model.names import suggest
from fuselatch.rehearsal.scenes import Scene


class LoadError(ValueError):
    """What was named can't be imported, or is neither a scene nor a form."""


@contextmanager
def importing_from(folders: Sequence[Path]) -> Iterator[None]:
    """Let imports find modules in some folders, for as long as this lasts."""
    before = list(sys.path)
    sys.path[:0] = [str(folder) for folder in folders]
    importlib.invalidate_caches()
    try:
        yield
    finally:
        sys.path[:] = before


def load(reference: str, verb: str) -> Any:
    """What `MODULE:NAME` stands for: a form class (verb "form"), a scene function ("scene"), or any function.

    Raises `LoadError`, on one line, with the closest right name.
    """
    module_name, colon, name = reference.partition(":")
    if not (colon and module_name and name):
        raise LoadError(f"'{reference}' names no {verb}; write MODULE:NAME, such as marina.scenes:quiet_monday")
    module = load_module(module_name)
    found = getattr(module, name, None)
    if found is None:
        raise LoadError(f"{module_name} has no {verb} '{name}': {suggest(name, names_in(module, verb))}")
    is_form = isinstance(found, type) and issubclass(found, Form)
    if verb == "form" and not is_form:
        raise LoadError(f"{reference} is no form; {suggest(name, names_in(module, verb), 'forms there are')}")
    if verb == "function" and (isinstance(found, type) or not callable(found)):
        raise LoadError(f"{reference} is no function; {suggest(name, names_in(module, verb), 'functions there are')}")
    if verb == "scene" and (is_form or not callable(found)):
        hint = f"write 'form {reference}'" if is_form else suggest(name, names_in(module, verb), "scenes there are")
        raise LoadError(f"{reference} is no scene; {hint}")
    return found


def load_module(name: str) -> ModuleType:
    """Import a module; what goes wrong is told on one line."""
    try:
        return importlib.import_module(name)
    except ModuleNotFoundError as error:
        missing = error.name or name
        if missing == name or name.startswith(missing + "."):
            raise LoadError(f"there is no module '{missing}'; {suggest_module(missing)}") from None
        raise LoadError(f"importing {name} failed: there is no module '{missing}'") from None
    except SyntaxError as error:
        file = Path(error.filename or name).name
        raise LoadError(f"importing {name} failed: {file}:{error.lineno}: {error.msg}") from None
    except KeyboardInterrupt:
        raise
    except BaseException as error:
        step, where = error.__traceback__, ""
        while step is not None:
            where = f"{Path(step.tb_frame.f_code.co_filename).name}:{step.tb_lineno}"
            step = step.tb_next
        raise LoadError(f"importing {name} failed at {where}: {describe(error)}") from None


def forms_in(folder: Path) -> list[type[Form]]:
    """The forms that the modules of a folder define, in order of module and definition.

    Modules whose names begin with an underscore are left out. Raises `LoadError`.
    """
    folder = folder.resolve()
    if not folder.is_dir():
        raise LoadError(f"there is no folder {folder.name}")
    root, package = folder, ""
    while (root / "__init__.py").exists():
        root, package = root.parent, f"{root.name}.{package}"
    found: list[type[Form]] = []
    with importing_from([root]):
        for file in sorted(folder.glob("*.py")):
            if not file.stem.startswith("_"):
                module = load_module(f"{package}{file.stem}")
                found += [
                    value
                    for value in vars(module).values()
                    if isinstance(value, type) and issubclass(value, Form) and value.__module__ == module.__name__
                ]
    return found


def suggest_module(missing: str) -> str:
    """The closest module of the same package, or what would make it found."""
    package, _, last = missing.rpartition(".")
    hint = suggest(last, (found.name for found in pkgutil.iter_modules(paths_of(package))), f"in {package} there are")
    if package and hint != "there is none":
        return hint
    return (
        f"{hint} Or name its folder with --from FOLDER" if "did you mean" in hint else "name its folder with --from FOLDER"
    )


def paths_of(package: str) -> list[str]:
    """The folders in which the modules of a package are looked for; of the top level, those added first."""
    if not package:
        return sys.path[:3]
    spec = importlib.util.find_spec(package) if package in sys.modules else None
    return list(spec.submodule_search_locations or ()) if spec is not None else []


def names_in(module: ModuleType, verb: str) -> list[str]:
    """The forms or scenes that a module defines."""
    names = []
    for name, found in vars(module).items():
        is_form = isinstance(found, type) and issubclass(found, Form) and found is not Form
        is_scene = callable(found) and getattr(found, "__annotations__", {}).get("return") in (Scene, "Scene")
        is_function = inspect.isfunction(found) and found.__module__ == module.__name__
        if {"form": is_form, "scene": is_scene, "function": is_function}[verb]:
            names.append(name)
    return names
