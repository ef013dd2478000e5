"""Rigs plugged at random from the whole catalogue: everything that is said of them can be computed, and remedies mend."""

from __future__ import annotations

import json
import random

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.ends import ends_of
from kymaphon.core.model.references import check_references
from kymaphon.core.model.show import Show
from kymaphon.core.report.chain import chain_of
from kymaphon.core.report.rig import rig_json, rig_lines
from kymaphon.core.report.rig_explain import cable_lines, cable_words, device_lines, device_words
from kymaphon.core.report.sheet import rig_sheet
from tests.budget import some
from tests.core.rigs import STUDIO

KINDS = list(shipped_catalogue())


def random_rig(seed: int, count: int = 14) -> Show:
    """Devices of any kind, plugged wherever the domain allows, with settings, positions and listeners as they come."""
    dice = random.Random(seed)
    runs = [
        {
            "id": "feed",
            "name": "Feed",
            "sort": dice.choice(["mains", "dimmed", "coil"]),
            "points_m": [[1, dice.uniform(0, 6)], [7, dice.uniform(0, 6)]],
        }
    ]
    devices, parties = [], []
    for k in range(count):
        kind = dice.choice(KINDS)
        row: dict[str, object] = {"id": f"d{k}", "kind": kind.id, "place": "studio"}
        if dice.random() < 0.6:
            row["at_m"] = [round(dice.uniform(0, 8), 2), round(dice.uniform(0, 6), 2)]
        if kind.power is not None and dice.random() < 0.4:
            row["power"] = dice.choice(kind.power.by)
        settings: dict[str, dict[str, object]] = {}
        for port in kind.inputs:
            if port.strip is not None and port.strip.phantom and dice.random() < 0.5:
                settings[port.id] = {"phantom": True}
            if port.strip is not None and port.strip.gain_db and dice.random() < 0.5:
                settings.setdefault(port.id, {})["gain_db"] = round(dice.uniform(*port.strip.gain_db), 1)
        for control in kind.controls:
            if dice.random() < 0.3:
                settings[control.id] = {"gain_db": dice.choice(control.gain_db)}
        for processor in kind.processors:
            if dice.random() < 0.5:
                settings[processor.id] = {"on": dice.random() < 0.5}
        for path in kind.paths:
            if path.switch and dice.random() < 0.2:
                settings[path.key] = {"on": dice.random() < 0.5}
        row["settings"] = settings
        devices.append(row)
        if any(port.domain == "acoustic" for port in kind.inputs):
            parties.append(
                {
                    "id": f"p{k}",
                    "name": f"P{k}",
                    "kind": dice.choice(["guest", "instrument", "presenter"]),
                    "place": "studio",
                    "speaks": True,
                }
            )
            row["party"] = f"p{k}"
        ears = [port.id for port in kind.outputs if port.ear]
        if ears and dice.random() < 0.8:
            parties.append(
                {
                    "id": f"l{k}",
                    "name": f"L{k}",
                    "kind": dice.choice(["audience", "recorder", "remote", "guest"]),
                    "listens": True,
                    "hears_on": f"d{k}.{dice.choice(ears)}",
                }
            )
    hosts = [row["id"] for row in devices if shipped_catalogue()[str(row["kind"])].group in ("host", "hub")]
    for row in devices:
        if hosts and dice.random() < 0.5:
            host = dice.choice(hosts)
            if host != row["id"]:
                row["host"] = host
    bare = Show.model_validate(
        {"kymaphon": 1, "places": [{**STUDIO, "runs": runs}], "parties": parties, "devices": devices}
    )
    outs = list(ends_of(bare, shipped_catalogue(), "output"))
    cables, taken = [], set()
    for end in ends_of(bare, shipped_catalogue(), "input"):
        base = f"{end.device.id}.{end.port.id}"
        if base in taken or dice.random() < 0.5:
            continue
        fits = [out for out in outs if out.port.domain == end.port.domain and out.device.id != end.device.id]
        if fits:
            taken.add(base)
            cable: dict[str, object] = {"from": dice.choice(fits).ref, "to": end.ref}
            if dice.random() < 0.6:
                cable["length_m"] = round(dice.uniform(0, 60), 1)
            cables.append(cable)
    return Show.model_validate({**bare.model_dump(by_alias=True), "cables": cables})


@pytest.mark.parametrize("seed", some(range(40), 10))
def test_everything_can_be_said_of_any_rig(seed: int) -> None:
    show = random_rig(seed)
    check_references(show, shipped_catalogue())
    analysis = analyse(show)
    chain = chain_of(analysis)
    assert len(chain.links) == len(show.cables)
    chain_of(analysis, frozenset({"studio"}))
    json.dumps(rig_json(analysis), allow_nan=False)
    assert rig_lines(analysis)
    assert rig_sheet(analysis).tables
    for device in show.devices:
        device_lines(analysis, device)
        assert all(device_words(analysis, device))
    for cable in show.cables:
        cable_lines(analysis, cable)
        assert all(cable_words(analysis, cable))
    for finding in analysis.findings:
        json.dumps(finding.to_json(), allow_nan=False)


@pytest.mark.parametrize("seed", some(range(100, 118), 5))
def test_every_remedy_gives_a_show_and_takes_its_finding_away(seed: int) -> None:
    show = random_rig(seed, 9)
    analysis = analyse(show)
    for finding in analysis.findings:
        if finding.stage != "Rig":
            continue
        for remedy in finding.remedies:
            after = analyse(remedy.apply(show))
            left = [row.message for row in after.findings if row.key == finding.key]
            assert left == [], (finding.code, remedy.label)
