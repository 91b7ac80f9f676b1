"""Load scenes and forms from installed packages or given folders."""

from __future__ import annotations

import importlib
import importlib.util
import inspect
import os
import pkgutil
import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager, redirect_stdout
from functools import cache
from importlib.abc import PathEntryFinder
from pathlib import Path
from types import ModuleType
from typing import Any, Final, TypeAlias

from fuselatch.core.forms.form import Form
from fuselatch.core.model.errors import FuseLatchError, describe
from fuselatch.core.model.names import suggest
from fuselatch.rehearsal.declaring import declares
from fuselatch.rehearsal.fresh_imports import NotApproved, is_installed
from fuselatch.rehearsal.imports import INSTALLED
from fuselatch.rehearsal.reach import GROUP, declared_modules, is_declared, is_within, resolved
from fuselatch.scenes import Scene, is_scene


class LoadError(FuseLatchError, ValueError):
    """Something can't be imported, or isn't a scene or a form."""


EXAMPLES: Final = {"form": "stay:Stay", "scene": "saltmarsh.scenes:quiet_monday", "function": "rates:price_of_stay"}
"""An example for each kind of thing that can be loaded."""

_opened: list[tuple[Path, ...]] = []
"""The folders whose modules cue sheets may open, besides their own: those of each `importing_from` that isn't over."""
_edited: tuple[dict[str, ModuleType], list[str]] = ({}, [])
"""The modules that were imported when `edited_tops` was last worked out, and what it was then."""
_kept: dict[tuple[str, ...], dict[str, ModuleType]] = {}
"""The modules imported from some folders, so that they are imported once."""
_offered: dict[str, tuple[ModuleType, tuple[Path, ...]]] = {}
"""The imported modules that a cue sheet may open, and from which folders: the next sheet needn't look for them."""


@contextmanager
def importing_from(folders: Sequence[Path], also: Sequence[Path] = ()) -> Iterator[None]:
    """Let imports find modules in these folders within the block, and cue sheets open them.

    Modules with the same name in two folders don't meet: what comes from these folders is known only in the block, and a
    module from elsewhere that they hide is set aside. What comes from `also` stays, as any other import.
    """
    places = tuple(str(folder) for folder in folders)
    path, aside = list(sys.path), hidden_by(folders)
    for name in aside:
        del sys.modules[name]
    own = _kept.setdefault(places, {})
    before = sys.modules.keys() - own.keys()
    sys.modules.update({name: module for name, module in own.items() if name not in before})
    sys.path[:0] = (*places, *(str(folder) for folder in also if str(folder) not in path))
    look_again((*places, *(str(folder) for folder in also)))
    _opened.append((*folders, *also))
    try:
        yield
    finally:
        _opened.pop()
        sys.path[:] = path
        for name in sys.modules.keys() - before:
            if is_own(sys.modules[name], folders):
                own[name] = sys.modules.pop(name)
        sys.modules.update(aside)


def look_again(places: tuple[str, ...]) -> None:
    """Let imports see what has come into these folders since they were read, and into those below."""
    below = tuple(f"{place}{os.sep}" for place in places)
    for place, finder in sys.path_importer_cache.items():
        if isinstance(finder, PathEntryFinder) and (place in places or place.startswith(below)):
            finder.invalidate_caches()


def module_at(file: Path) -> ModuleType | None:
    """Return the module that was imported from a file, also one that is known only in a block of `importing_from`."""
    modules = [*sys.modules.values(), *(module for own in _kept.values() for module in own.values())]
    return next((each for each in modules if getattr(each, "__file__", None) == str(file)), None)


def is_of_forms(module: ModuleType) -> bool:
    """Return True if a module defines a form or a scene."""
    return bool(own_members([module], is_form_class) or own_members([module], is_scene))


def forget_imports() -> None:
    """Forget the modules that came from given folders."""
    _kept.clear()
    _offered.clear()


def hidden_by(folders: Sequence[Path]) -> dict[str, ModuleType]:
    """Return the imported modules that modules in these folders hide.

    Installed packages aren't hidden.
    """
    hidden = {
        top
        for top in edited_tops()
        if not is_from(sys.modules[top], folders) and any(has_module(str(folder), top) for folder in folders)
    }
    return {name: module for name, module in sys.modules.items() if name.partition(".")[0] in hidden} if hidden else {}


def edited_tops() -> list[str]:
    """Return the names of imported modules and packages at the top that aren't installed."""
    known, tops = _edited
    # Between two sheets hardly a module comes or goes.
    if known != sys.modules:
        tops[:] = [top for top in sys.modules if "." not in top and top != "__main__" and is_edited(sys.modules[top])]
        known.clear()
        known.update(sys.modules)
    return tops


def is_from(module: ModuleType, folders: Sequence[Path]) -> bool:
    """Return True if a module's file is in or below one of the folders."""
    file = getattr(module, "__file__", None)
    return file is not None and any(file.startswith(f"{folder}{os.sep}") for folder in folders)


def has_module(folder: str, top: str) -> bool:
    """Return True if a folder has a module or package of a name."""
    return os.path.exists(f"{folder}{os.sep}{top}.py") or os.path.exists(f"{folder}{os.sep}{top}{os.sep}__init__.py")


def is_edited(module: ModuleType) -> bool:
    """Return True if a module has a file and isn't an installed package."""
    file = getattr(module, "__file__", None)
    return file is not None and not is_installed_file(file)


@cache
def is_installed_file(file: str) -> bool:
    """Return True if a file is in a folder of installed packages."""
    return file.startswith(tuple(f"{folder}{os.sep}" for folder in INSTALLED))


def is_own(module: ModuleType, folders: Sequence[Path]) -> bool:
    """Return True if a module belongs to these folders."""
    return is_from(module, folders) and is_edited(module)


def load(reference: str, verb: str) -> Any:
    """Load `MODULE:NAME`; `verb` is "form", "scene", "form or scene" or "function".

    Raises `LoadError` with one line and the closest name.
    """
    if verb == "form or scene":
        return load_either(reference)
    module_name, colon, name = reference.partition(":")
    if not (colon and module_name and name):
        raise LoadError(f"'{reference}' isn't a {verb}; write MODULE:NAME, for example {EXAMPLES[verb]}")
    if module_name.endswith(".py"):
        module_of = module_name.removesuffix(".py").replace("/", ".").replace("\\", ".").strip(".")
        raise LoadError(f"'{module_name}' is a file name; write {module_of}:{name}")
    module = load_module(module_name)
    member = getattr(module, name, None)
    if member is None:
        raise LoadError(f"{module_name} has no {verb} '{name}'; {suggest(name, names_in(module, verb))}")
    is_form = is_form_class(member)
    if verb == "form" and not is_form:
        raise LoadError(f"{reference} isn't a form; {suggest(name, names_in(module, verb))}")
    if verb == "function" and (isinstance(member, type) or not callable(member)):
        raise LoadError(f"{reference} isn't a function; {suggest(name, names_in(module, verb))}")
    if verb == "scene" and (is_form or not callable(member)):
        hint = f"write 'form {reference}'" if is_form else suggest(name, names_in(module, verb))
        raise LoadError(f"{reference} isn't a scene; {hint}")
    return member


def load_for_sheet(reference: str, verb: str, folders: Sequence[Path]) -> Any:
    """Load what a cue sheet names: a form, or a function that is marked as a scene.

    Only modules in these folders (and those of `importing_from`), and those that installed packages offer, are imported.
    """
    module_name, colon, _ = reference.partition(":")
    near = tuple(dict.fromkeys((*folders, Path.cwd(), *(folder for each in _opened for folder in each))))
    is_known = _offered.get(module_name) == (sys.modules.get(module_name), near)
    if colon and not module_name.endswith(".py") and not is_known:
        must_be_offered(module_name, near)
    loaded = load(reference, verb)
    _offered[module_name] = (sys.modules[module_name], near)
    if verb == "scene" and not is_scene(loaded):
        name = reference.partition(":")[2]
        marked = [
            each for each in names_in(sys.modules[module_name], "scene") if is_scene(getattr(sys.modules[module_name], each))
        ]
        hint = suggest(name, marked) if marked else "put @scene above it (from fuselatch.scenes import scene)"
        raise LoadError(f"{reference} isn't marked as a scene; {hint}")
    return loaded


def must_be_offered(module: str, folders: Sequence[Path]) -> None:
    """Refuse a module that a cue sheet may not import."""
    if is_declared(module):
        return
    top = module.partition(".")[0]
    try:
        # What an import would give, found without running any of it.
        spec = importlib.util.find_spec(top)
    except ValueError:
        spec = None
    if spec is None and top not in sys.modules:
        raise LoadError(f"module '{module}' not found; {suggest_module(module)}")
    places: list[str] = []
    if spec is not None:
        places = [spec.origin] if spec.has_location and spec.origin else [*(spec.submodule_search_locations or ())]
    if not places or not all(
        is_within(Path(place), folders) and not is_installed(resolved(Path(place))) for place in places
    ):
        where = "in the sheet's folder, the current folder or a --from FOLDER"
        offers = f"no installed package offers it (entry points '{GROUP}')"
        raise LoadError(f"cue sheets can't import '{module}': it isn't {where}, and {offers}")


def load_either(reference: str) -> object:
    """Load a form or a scene, whichever it is."""
    try:
        return load(reference, "form")
    except LoadError as error:
        module_name, _, name = reference.partition(":")
        module = sys.modules.get(module_name)
        if module is None or not name:
            raise
        member = getattr(module, name, None)
        if inspect.isfunction(member):
            return load(reference, "scene")
        hint = suggest(name, [*names_in(module, "form"), *names_in(module, "scene")])
        raise LoadError(f"{module_name} has no form or scene '{name}'; {hint}") from error


def load_module(name: str) -> ModuleType:
    """Import a module; raise `LoadError` with one line."""
    try:
        # What a module prints must not mix with what is printed for programs.
        with redirect_stdout(sys.stderr):
            return importlib.import_module(name)
    except ModuleNotFoundError as error:
        missing = error.name or name
        if missing == name or name.startswith(missing + "."):
            raise LoadError(f"module '{missing}' not found; {suggest_module(missing)}") from None
        raise LoadError(f"can't import {name}: module '{missing}' not found") from None
    except SyntaxError as error:
        file = Path(error.filename or name).name
        raise LoadError(f"can't import {name}: {file}:{error.lineno}: {error.msg}") from None
    except (KeyboardInterrupt, NotApproved):
        raise
    except BaseException as error:
        raise LoadError(f"can't import {name}: {place_of(error)}: {describe(error)}") from None


def place_of(error: BaseException) -> str:
    """Return the file and line where an error was raised."""
    step, where = error.__traceback__, ""
    while step is not None:
        where = f"{Path(step.tb_frame.f_code.co_filename).name}:{step.tb_lineno}"
        step = step.tb_next
    return where


Skip: TypeAlias = Callable[[str], object]
"""Called with the name of a file that is skipped, and the reason."""


def forms_in(folder: Path, skip: Skip) -> list[type[Form]]:
    """Return the forms that a folder's modules define, by module and order."""
    return own_members(modules_in(folder, skip), is_form_class)


def scenes_in(folder: Path, skip: Skip) -> list[Callable[[], Scene]]:
    """Return the functions in a folder's modules that are marked as scenes, by module and order."""
    return own_members(modules_in(folder, skip), is_scene)


def own_members(modules: Iterable[ModuleType], wanted: Callable[[object], bool]) -> list[Any]:
    """Return what modules define themselves, without what they import."""
    members = ((module, value) for module in modules for value in vars(module).values())
    return [value for module, value in members if wanted(value) and value.__module__ == module.__name__]


def scenes_offered(skip: Skip) -> list[Callable[[], Scene]]:
    """Return the scenes that installed packages offer to cue sheets, by module."""
    return own_members(modules_offered(skip), is_scene)


def modules_offered(skip: Skip) -> Iterator[ModuleType]:
    """Yield the modules that installed packages offer to cue sheets, but those that start with "_"."""
    for name in declared_modules():
        for module in loaded_or_skipped(name, skip):
            yield module
            for each in pkgutil.iter_modules(getattr(module, "__path__", ())):
                if not each.name.startswith("_"):
                    yield from loaded_or_skipped(f"{name}.{each.name}", skip)


def loaded_or_skipped(name: str, skip: Skip) -> Iterator[ModuleType]:
    """Yield a module, or skip it if it can't be imported."""
    try:
        yield load_module(name)
    except LoadError as error:
        skip(f"skipped {name}: {error}")


def modules_in(folder: Path, skip: Skip) -> Iterator[ModuleType]:
    """Yield a folder's modules that declare forms or scenes, sorted by name, but those that start with "_".

    Others aren't imported: a script may do anything. One that can't be read or imported is skipped. Raises `LoadError` if
    the folder isn't there.
    """
    folder = folder.resolve()
    if not folder.is_dir():
        raise LoadError(f"folder {folder.name} not found")
    root, package = folder, ""
    while (root / "__init__.py").exists():
        root, package = root.parent, f"{root.name}.{package}"
    with importing_from([root]):
        for file in sorted(folder.glob("*.py")):
            if file.stem.startswith("_"):
                continue
            try:
                if declares(file):
                    yield load_module(f"{package}{file.stem}")
            except SyntaxError as error:
                skip(f"skipped {file.name}:{error.lineno}: {error.msg}")
            except (LoadError, OSError, ValueError) as error:
                skip(f"skipped {file.name}: {getattr(error, 'strerror', None) or error}")


def is_form_class(found: object) -> bool:
    return isinstance(found, type) and issubclass(found, Form)


def suggest_module(missing: str) -> str:
    """Return a hint for an unknown module."""
    package, _, last = missing.rpartition(".")
    hint = suggest(last, (each.name for each in pkgutil.iter_modules(paths_of(package))))
    if package and hint != "there are none":
        return hint
    add = "add its folder with --from FOLDER"
    return f"{hint} Or {add}" if "did you mean" in hint else add


def paths_of(package: str) -> list[str]:
    """Return the folders that a package's modules are looked up in."""
    if not package:
        return sys.path[:3]
    spec = importlib.util.find_spec(package) if package in sys.modules else None
    return list(spec.submodule_search_locations or ()) if spec is not None else []


def names_in(module: ModuleType, verb: str) -> list[str]:
    """Return the forms, scenes or functions that a module defines."""
    names = []
    for name, value in vars(module).items():
        is_form = is_form_class(value) and value is not Form
        returns = getattr(value, "__annotations__", None) if inspect.isfunction(value) else None
        looks_so = is_scene(value) or (isinstance(returns, dict) and returns.get("return") in (Scene, "Scene"))
        is_function = inspect.isfunction(value) and value.__module__ == module.__name__
        if {"form": is_form, "scene": looks_so, "function": is_function}[verb]:
            names.append(name)
    return names
