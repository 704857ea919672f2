from __future__ import annotations

import chromium
import pytest
from processes import RealServer


@pytest.fixture(scope="session")
def server(chrome, tmp_path_factory):
    real = RealServer(tmp_path_factory.mktemp("server"))
    yield real
    real.stop()


@pytest.fixture(scope="session")
def chrome(tmp_path_factory):
    if not chromium.is_there():
        pytest.skip("Chromium and ChromeDriver are not installed: sh setup/test-tools.sh")
    driver = chromium.start(tmp_path_factory.mktemp("profile"))
    yield driver
    driver.quit()


@pytest.fixture
def browser(chrome):
    """A browser that knows nothing of the tests before."""
    chromium.forget(chrome)
    return chrome
