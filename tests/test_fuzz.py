"""Shows that nobody would make, files that nobody should: whatever comes in, it is computed or refused in one clear line."""

from __future__ import annotations

import copy
import json
import math
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.computing.computed import Computed
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.references import reference_problems
from kymaphon.core.model.show import Show
from kymaphon.core.report.cast import advice_json, advice_of, place_json, place_lines
from kymaphon.core.report.sheet import rig_sheet
from kymaphon.files.demo import FAULTY, demo_path
from kymaphon.files.errors import FileProblem
from kymaphon.files.sheet_file import sheet_html
from kymaphon.files.show_file import read_show, show_text
from tests.budget import tries

KINDS = sorted(kind.id for kind in shipped_catalogue())
RELAXED = settings(max_examples=tries(13))
DEMO = json.loads(demo_path(FAULTY).read_text(encoding="utf-8"))
DEMO_KINDS = shipped_catalogue().with_kinds(*Show.model_validate(DEMO).kinds)


@st.composite
def any_place(draw: st.DrawFn, name: str) -> dict[str, Any]:
    """A place of any size or none, indoors or out, with whatever hums, blows and reflects in it."""
    spot = st.tuples(st.floats(-3, 3), st.floats(-3, 3))
    return {
        "id": name,
        "name": name.title(),
        "ambient_dba": draw(st.floats(-10, 120)),
        "size_m": draw(st.one_of(st.none(), st.tuples(st.floats(0.05, 50), st.floats(0.05, 50)))),
        "outdoors": draw(st.booleans()),
        "liveliness": draw(st.sampled_from(["dead", "treated", "ordinary", "live"])),
        "noise": draw(st.sampled_from(["room-tone", "fan", "traffic", "crowd", "music", "wind"])),
        "wind_m_s": draw(st.one_of(st.none(), st.floats(0, 40))),
        "noises": [
            {"id": f"n{i}", "name": "Hum", "at_m": at, "level_dba_1m": draw(st.floats(0, 140))}
            for i, at in enumerate(draw(st.lists(spot, max_size=2)))
        ],
        "surfaces": [
            {
                "id": f"s{i}",
                "name": "Glass",
                "from_m": a,
                "to_m": b,
                "shape": draw(st.sampled_from(["wall", "table"])),
            }
            for i, (a, b) in enumerate(draw(st.lists(st.tuples(spot, spot), max_size=2)))
        ],
    }


@st.composite
def shows(draw: st.DrawFn) -> Show:
    """Any devices, joined wherever plugs fit, set anyhow, among people anywhere."""
    catalogue = shipped_catalogue()
    kinds = [catalogue[draw(st.sampled_from(KINDS))] for _ in range(draw(st.integers(1, 7)))]
    places = [draw(any_place(f"p{i}")) for i in range(2)]
    spot = st.one_of(st.none(), st.tuples(st.floats(-3, 3), st.floats(-3, 3)))
    place = st.sampled_from(["p0", "p1", None])
    parties: list[dict[str, Any]] = []
    devices: list[dict[str, Any]] = []
    for i, kind in enumerate(kinds):
        rows: dict[str, Any] = {}
        for path in kind.paths:
            if path.switch and draw(st.booleans()):
                rows[path.key] = {"on": draw(st.booleans())}
        for port in kind.inputs:
            if port.strip and port.strip.gain_db and draw(st.booleans()):
                rows[port.id] = {"gain_db": draw(st.floats(*port.strip.gain_db))}
            if port.strip and port.strip.phantom:
                rows.setdefault(port.id, {})["phantom"] = draw(st.booleans())
        at = draw(spot)
        devices.append(
            {
                "id": f"d{i}",
                "kind": kind.id,
                "place": draw(place),
                "settings": rows,
                "shield": draw(st.sampled_from(["none", "foam", "fur"])),
                **({"at_m": at} if at else {}),
                **({"aim_deg": draw(st.floats(-360, 360))} if draw(st.booleans()) else {}),
            }
        )
        if draw(st.booleans()):
            ears = [port.id for port in kind.outputs if port.ear]
            party = {
                "id": f"who{i}",
                "name": f"Who {i}",
                "kind": draw(st.sampled_from(["guest", "remote", "audience", "recorder", "player"])),
                "place": draw(place),
                "speaks": draw(st.booleans()),
                "listens": draw(st.booleans()),
            }
            here = draw(spot)
            if here:
                party["at_m"] = here
            if draw(st.booleans()):
                party["faces_deg"] = draw(st.floats(-360, 360))
            if draw(st.booleans()):
                party["level_db_spl_1m"] = draw(st.floats(0, 160))
            if ears and draw(st.booleans()):
                party["hears_on"] = f"d{i}"
            parties.append(party)
            if draw(st.booleans()):
                devices[-1]["party"] = party["id"]
    cables: list[dict[str, str]] = []
    taken = set()
    for _ in range(draw(st.integers(0, 12))):
        a, b = draw(st.integers(0, len(kinds) - 1)), draw(st.integers(0, len(kinds) - 1))
        outs = [port for port in kinds[a].outputs if port.domain != "acoustic"]
        if not outs:
            continue
        out = draw(st.sampled_from(outs))
        ins = [port for port in kinds[b].inputs if port.domain == out.domain and (b, port.id) not in taken]
        if ins:
            into = draw(st.sampled_from(ins))
            taken.add((b, into.id))
            cables.append({"from": f"d{a}.{out.id}", "to": f"d{b}.{into.id}"})
    ids = [party["id"] for party in parties]
    pairs = (
        draw(st.lists(st.tuples(st.sampled_from(ids), st.sampled_from(ids)), unique=True, max_size=6)) if ids else []
    )
    wants = [
        {"listener": a, "voice": b, "want": draw(st.sampled_from(["hear", "never", "any", "local"]))} for a, b in pairs
    ]
    return Show.model_validate(
        {"places": places, "parties": parties, "devices": devices, "cables": cables, "wants": wants}
    )


def assert_sound(analysis: Computed) -> None:
    """No figure that is not a number, everywhere that a user would see one; of a report its findings too."""
    for feed in analysis.feeds.values():
        for value in (feed.gain_db, feed.level_db, feed.delay_ms):
            assert value is None or math.isfinite(value)
        assert (feed.path is None) == (feed.gain_db is None)
    for ladder in analysis.ladders.values():
        json.dumps(ladder.to_json(), allow_nan=False)
    for place in analysis.show.places:
        json.dumps(place_json(analysis, place.id), allow_nan=False)
        assert place_lines(analysis, place.id)
        for party in analysis.show.parties:
            if party.place == place.id and party.id in analysis.sound(place.id).source_index:
                advice, _ = advice_of(analysis, party.id)
                json.dumps(advice_json(advice, party.id, party.name), allow_nan=False)
    for row in analysis.findings if isinstance(analysis, Report) else ():
        json.dumps(row.to_json(), allow_nan=False)
        assert "nan" not in row.message.lower().split()
        assert row.message.endswith(".")


@given(shows())
@RELAXED
def test_any_show_is_computed(show: Show) -> None:
    analysis = analyse(show)
    assert_sound(analysis)
    assert sheet_html(rig_sheet(analysis)).rstrip().endswith("</html>")
    assert Show.model_validate(json.loads(show_text(show))) == show


@given(shows())
@RELAXED
def test_every_remedy_can_be_done_and_cures_what_it_is_offered_for(show: Show) -> None:
    analysis = analyse(show)
    kept = {
        key
        for key, feed in analysis.feeds.items()
        if feed.asked and feed.want == "hear" and feed.verdict in ("heard", "loud", "quiet")
    }
    for row in analysis.findings:
        if row.stage == "Cast":
            continue  # nobody moved; test_cast_rules tries each of those
        for remedy in row.remedies:
            after = analyse(remedy.apply(show))
            assert_sound(after)
            if row.code in (
                "own-voice-back",
                "heard-unwanted",
                "wanted-not-heard",
                "phantom-missing",
                "clips",
            ):
                assert row.key not in {other.key for other in after.findings}, (row.code, remedy.label)
            if row.code in ("own-voice-back", "loop-howls", "loop-rings", "heard-unwanted"):
                lost = {key for key in kept if after.feeds[key].verdict == "missing"}
                assert not lost, (row.code, remedy.label, lost)


@st.composite
def damaged(draw: st.DrawFn) -> Any:
    """The demo with a few things in it deleted, doubled, or turned into something else."""
    data = copy.deepcopy(DEMO)
    junk = st.one_of(
        st.none(),
        st.booleans(),
        st.integers(-1000, 1000),
        st.floats(allow_nan=False, allow_infinity=False),
        st.text(max_size=8),
        st.lists(st.integers(), max_size=3),
        st.dictionaries(st.text(max_size=4), st.integers(), max_size=2),
    )
    for _ in range(draw(st.integers(1, 4))):
        spot: Any = data
        while True:
            keys = list(spot) if isinstance(spot, dict) else list(range(len(spot)))
            if not keys:
                break
            key = draw(st.sampled_from(keys))
            if isinstance(spot[key], dict | list) and draw(st.booleans()):
                spot = spot[key]
                continue
            what = draw(st.sampled_from(["delete", "junk", "double"]))
            if what == "delete":
                del spot[key]
            elif what == "junk" or not isinstance(spot, list):
                spot[key] = draw(junk)
            else:
                spot.append(copy.deepcopy(spot[key]))
            break
    return data


@given(damaged())
@settings(max_examples=tries(40))
def test_a_damaged_file_is_read_or_refused_in_one_line(tmp_path_factory: pytest.TempPathFactory, data: Any) -> None:
    path = tmp_path_factory.mktemp("fuzz") / "damaged.json"
    path.write_text(json.dumps(data), encoding="utf-8")
    try:
        show = read_show(path)
    except FileProblem as problem:
        message = str(problem)
        assert message.startswith("damaged.json")
        assert "\n" not in message
        assert len(message) < 600
        return
    assert_sound(analyse(show))


@given(st.binary(max_size=400))
@settings(max_examples=tries(33))
def test_any_bytes_are_refused_in_one_line(tmp_path_factory: pytest.TempPathFactory, content: bytes) -> None:
    path: Path = tmp_path_factory.mktemp("fuzz") / "bytes.json"
    path.write_bytes(content)
    with pytest.raises(FileProblem) as caught:
        read_show(path)
    assert "\n" not in str(caught.value)


def test_references_are_checked_for_every_random_show() -> None:
    """The generator above makes only shows whose references hold; otherwise the tests on it would say little."""

    @given(shows())
    @settings(max_examples=tries(10))
    def holds(show: Show) -> None:
        assert not list(reference_problems(show, shipped_catalogue()))

    holds()
