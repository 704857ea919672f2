"""Making a release: one version everywhere, and its changes under their heading."""

from __future__ import annotations

import importlib.util
import shutil
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
_spec = importlib.util.spec_from_file_location("release", ROOT / "tools" / "release.py")
release = importlib.util.module_from_spec(_spec)
_spec.loader.exec_module(release)


@pytest.fixture
def tree(tmp_path):
    for name in [*release.STAMPED, "CHANGELOG.md", release.CHANGES]:
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        shutil.copy(ROOT / name, tmp_path / name)
    changelog = tmp_path / "CHANGELOG.md"
    changelog.write_text(
        changelog.read_text().replace(release.UNRELEASED, f"{release.UNRELEASED}\n- Something new.\n", 1)
    )
    return tmp_path


def texts(tree):
    return {file: file.read_text() for file in tree.rglob("*") if file.is_file()}


def test_everything_has_one_version_which_the_changelog_knows():
    (version,) = set(release.versions().values())
    assert f"\n## {version}" in (ROOT / "CHANGELOG.md").read_text()


def test_a_release_stamps_everything_and_leaves_the_rest(tree):
    before = texts(tree)
    (old,) = set(release.versions(tree).values())
    release.release("12.3.4", tree, "29 Nov 2026")
    assert set(release.versions(tree).values()) == {"12.3.4"}
    for file, text in texts(tree).items():
        if file.name not in ("CHANGELOG.md", "changes.md"):
            assert text == before[file].replace(f'"{old}"', '"12.3.4"', 1)
    changelog = (tree / "CHANGELOG.md").read_text()
    assert "## Unreleased\n\n## 12.3.4, 29 Nov 2026\n\n- " in changelog
    assert (tree / release.CHANGES).read_text().strip() in changelog
    with pytest.raises(release.ReleaseRefused, match="has no changes"):
        release.release("12.3.5", tree, "30 Nov 2026")


@pytest.mark.parametrize(
    ("version", "says"),
    [("0.1", "three numbers"), ("v1.0.0", "three numbers"), ("0.1.0", "does not come after"), ("0.0.9", "come after")],
)
def test_what_cannot_be_released_changes_nothing(tree, version, says):
    before = texts(tree)
    with pytest.raises(release.ReleaseRefused, match=says):
        release.release(version, tree, "29 Nov 2026")
    assert texts(tree) == before


def test_versions_that_differ_are_named(tree):
    file = tree / "core" / "pyproject.toml"
    file.write_text(file.read_text().replace('version = "', 'version = "7.', 1))
    with pytest.raises(release.ReleaseRefused, match="core/pyproject"):
        release.release("12.3.4", tree, "29 Nov 2026")
