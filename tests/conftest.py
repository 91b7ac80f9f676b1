"""Fixtures of all tests; a PostgreSQL server is started once, on a socket in a folder, without any network."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from itertools import count, takewhile
from pathlib import Path
from random import Random
from time import monotonic

import pytest
from hypothesis import HealthCheck, settings

from tests.bench import doing

# With coverage, which makes each step slow, properties are tried with few examples; the compiled core plays more, at
# night the most.
for name, wanted in {"project": 100, "few": 10, "most": 1000}.items():
    settings.register_profile(
        name, deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow], max_examples=wanted
    )
settings.load_profile("project")


def pytest_addoption(parser: pytest.Parser) -> None:
    """Let the long test play as many gestures as wanted."""
    parser.addoption("--gestures", type=int, default=10_000, help="how many gestures are played at drawn forms")
    parser.addoption("--values", type=int, default=500, help="how many values are drawn for each store")
    parser.addoption("--entries", type=int, default=800, help="how many random texts are typed in 40 locales")
    parser.addoption("--kills", type=int, default=20, help="how often a process is killed while it writes to each store")
    parser.addoption("--hands", type=int, default=25, help="how many rounds of drawn hands a page gets")
    parser.addoption("--calls", type=int, default=250, help="how many hostile calls each fuzzer makes")
    parser.addoption("--seconds", type=float, default=0, help="make hostile calls for so long instead")


@pytest.fixture(autouse=True)
def idle_bench() -> None:
    """Let the bench do only what the test says, and not what the test before said."""
    doing()


@pytest.fixture
def draws(request: pytest.FixtureRequest) -> Iterator[Iterator[Random]]:
    """Yield sources of chance, each with its own seed: as many as wanted, or for as long."""
    calls, seconds = request.config.getoption("--calls"), request.config.getoption("--seconds")
    end = monotonic() + seconds
    yield (Random(seed) for seed in takewhile(lambda seed: monotonic() < end if seconds else seed < calls, count()))


MEMORY = Path("/dev/shm")


def pytest_configure(config: pytest.Config) -> None:
    """Keep temporary files in memory if possible: many small writes are flushed to the disk one by one."""
    if config.option.basetemp is None and MEMORY.is_dir() and shutil.disk_usage(MEMORY).free > 200_000_000:
        config.option.basetemp = MEMORY / f"fuselatch-tests-{os.getpid()}"


def pytest_unconfigure(config: pytest.Config) -> None:
    """Remove them again."""
    if str(config.option.basetemp).startswith(str(MEMORY / "fuselatch-tests-")):
        shutil.rmtree(config.option.basetemp, ignore_errors=True)


def program(name: str) -> str | None:
    """Return the path of one of the server's programs: on the path, or in Debian's folder."""
    found = sorted(Path("/usr/lib/postgresql").glob(f"*/bin/{name}"))
    return shutil.which(name) or (str(found[-1]) if found else None)


def as_server(*words: str) -> list[str]:
    """Return a call as a user that can run the server; root can't."""
    return ["runuser", "-u", "postgres", "--", *words] if os.geteuid() == 0 else list(words)


@pytest.fixture(scope="session")
def postgresql() -> Iterator[str]:
    """Return the address of an empty database."""
    initdb, control = program("initdb"), program("pg_ctl")
    if initdb is None or control is None:
        assert not os.environ.get("CI"), "these tests want a PostgreSQL server: install the package postgresql"
        pytest.skip("no PostgreSQL server is installed")
    folder = tempfile.mkdtemp(prefix="fl-pg-")
    if os.geteuid() == 0:
        shutil.chown(folder, "postgres")
    data, log = f"{folder}/data", f"{folder}/log"
    quiet = {"check": True, "stdout": subprocess.DEVNULL, "cwd": folder}
    try:
        subprocess.run(as_server(initdb, "-D", data, "-A", "trust", "-U", "desk", "-E", "UTF8", "-N"), **quiet)  # type: ignore[call-overload]
        options = f"-k {folder} -c listen_addresses='' -c fsync=off -c max_connections=60"
        subprocess.run(as_server(control, "-D", data, "-l", log, "-w", "-o", options, "start"), **quiet)  # type: ignore[call-overload]
        yield f"postgresql+psycopg://desk@/postgres?host={folder}"
        subprocess.run(as_server(control, "-D", data, "-m", "immediate", "stop"), **quiet)  # type: ignore[call-overload]
    finally:
        shutil.rmtree(folder, ignore_errors=True)
