"""Remedies applied by command, and the catalogue listed: run as a user runs them."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.test_cli import DEMO, run, run_json


class TestRemediesByCommand:
    def test_remedies_are_applied_in_order_by_their_ids(
        self, capsys: pytest.CaptureFixture[str], tmp_path: Path
    ) -> None:
        rows = {row["id"]: row for row in run_json(capsys, "check", DEMO)["findings"]}
        assert rows["own-voice-back@ferry"]["code"] == "own-voice-back"
        first = rows["own-voice-back@ferry"]["remedies"][0]["id"]
        fan = next(name for name, row in rows.items() if row["code"] == "wind-unshielded")
        second = rows[fan]["remedies"][0]["id"]
        target = tmp_path / "mended.json"
        code, out, _ = run(
            capsys,
            "check",
            DEMO,
            "--do",
            f"own-voice-back@ferry:{first}",
            "--do",
            f"{fan}:{second}",
            "-o",
            str(target),
        )
        assert code == 0
        assert "0 to stop for" in out
        codes = {row["code"] for row in run_json(capsys, "check", str(target))["findings"]}
        assert not codes & {"own-voice-back", "wind-unshielded"}

    def test_what_cannot_be_done_says_what_could(self, capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
        target = str(tmp_path / "x.json")
        code, _, err = run(capsys, "check", DEMO, "--do", "own-voice-back@ferry:nothing", "-o", target)
        assert code == 2
        assert "it offers: cut-1" in err
        assert run(capsys, "check", DEMO, "--do", "no-such@thing:x", "-o", target)[0] == 2
        assert "go together" in run(capsys, "check", DEMO, "--do", "a:b")[2]
        assert not Path(target).exists()

    def test_what_costs_too_much_is_told_and_not_offered(self, capsys: pytest.CaptureFixture[str]) -> None:
        rows = run_json(capsys, "check", DEMO)["findings"]
        row = next(row for row in rows if row["code"] == "off-mark" and "ilse" in row["subjects"])
        assert any("Interface, input 1" in text for text in row["not_offered"])
        assert run_json(capsys, "check", DEMO)["before_air"]


class TestCatalogueListed:
    def test_every_kind_with_its_sockets_and_settings(self, capsys: pytest.CaptureFixture[str]) -> None:
        from kymaphon.core.model.catalogue import shipped_catalogue

        code, out, _ = run(capsys, "kinds", "--all")
        assert code == 0
        for kind in shipped_catalogue():
            assert f"{kind.id}  ({kind.group})" in out
            assert all(f" {port.id} " in out for port in kind.inputs)
        assert '"in1>send1": on, as delivered off' in out
        assert len(run_json(capsys, "kinds", "--all", "desk")["kinds"]) == sum(
            kind.group == "desk" for kind in shipped_catalogue()
        )
        assert "there are: " in run(capsys, "kinds", "--all", "teapot")[2]
