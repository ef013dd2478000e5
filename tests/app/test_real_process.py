"""The real program in a process of its own, with an empty home: every command, every menu and every key of the guide."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent.parent


@pytest.mark.parametrize("platform", ["offscreen"])
def test_every_command_every_menu_and_every_key_from_an_empty_home(tmp_path: Path, platform: str) -> None:
    home = tmp_path / "home"
    home.mkdir()
    kept = {name: value for name, value in os.environ.items() if not name.startswith(("KYMAPHON_", "XDG_"))}
    environment = {**kept, "HOME": str(home), "QT_QPA_PLATFORM": platform, "PYTHONPATH": str(ROOT)}
    command = [sys.executable, "-m", "tests.app.real", str(ROOT / "docs" / "guide.md")]
    done = subprocess.run(command, env=environment, cwd=home, capture_output=True, text=True, timeout=300)
    assert done.stdout == ""
    assert done.stderr == ""
    assert done.returncode == 0
    logs = list(home.rglob("errors.log"))
    assert not logs, logs and logs[0].read_text()
