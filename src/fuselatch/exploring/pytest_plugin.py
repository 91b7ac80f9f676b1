"""The pytest plugin: a test explores a scene, and fails with what was found.

@pytest.mark.explore(quiet_monday, gestures=5_000)
def test_nothing_is_found_in_the_booking(explored):
    assert not explored.untried
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

if TYPE_CHECKING:
    from fuselatch.exploring import Exploration


def pytest_configure(config: pytest.Config) -> None:
    config.addinivalue_line(
        "markers", "explore(scene, gestures=…, seed=…, known=…): explore a scene; the fixture `explored` has what was found"
    )


@pytest.fixture
def explored(request: pytest.FixtureRequest) -> Exploration:
    """Explore the scene of the test's marker `explore`; fail with new faults, or return what was found."""
    from fuselatch.exploring import explore
    from fuselatch.exploring.report import report

    marker = request.node.get_closest_marker("explore")
    if marker is None or len(marker.args) != 1:
        raise pytest.UsageError(f"{request.node.name}: put @pytest.mark.explore(SCENE) above it")
    exploration = explore(*marker.args, **marker.kwargs)
    if exploration.new:
        pytest.fail("\n".join(report(exploration)), pytrace=False)
    return exploration
