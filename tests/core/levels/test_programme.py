"""The programme summed: what a meter shows with everybody at once, and what the practice says to it."""

from __future__ import annotations

import math

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.levels.programme import programme, summed_at
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import SetField, apply_all
from kymaphon.core.model.practice import Practice, shipped_practices
from kymaphon.core.model.scales import SOUND, scales
from kymaphon.core.model.show import Show
from tests.core.rigs import dev, rig, wire

STREAM = {"id": "stream", "name": "Stream", "kind": "audience", "listens": True, "hears_on": "enc"}


def band(levels: tuple[float, ...], practice: str = "live-music-stream", **more: object) -> Show:
    """So many players straight into a software mixer, each at a level of its own in dBFS, and on to an encoder."""
    count = len(levels)
    people = [
        {
            "id": f"p{n}",
            "name": f"P{n}",
            "kind": "player",
            "speaks": True,
            "plays_on": f"pc.usb{n}",
            "level_dbfs": level,
        }
        for n, level in enumerate(levels, start=1)
    ]
    kinds = [
        {
            "id": "many",
            "name": "Computer with many inputs",
            "group": "host",
            "inside": "digital",
            "inputs": [{"id": "mic", "name": "microphone", "domain": "digital", "level": "digital"}],
            "outputs": [
                {"each": [1, count], "id": "usb{n}", "name": "program {n}", "domain": "digital", "level": "digital"}
            ],
        }
    ]
    return rig(
        [dev("pc", "many"), dev("mix", "soft-mixer", name="Mixer"), dev("enc", "stream-encoder", name="Encoder")],
        [*(wire(f"pc.usb{n}", f"mix.in{n}") for n in range(1, count + 1)), wire("mix.out", "enc.in")],
        [*people, STREAM],
        kinds=kinds,
        practice=practice,
        **more,
    )


@pytest.mark.parametrize("levels", [(-17.5, -17.5, -17.5), (-20.0, -20.0), (-14.0, -20.0, -26.0, -40.0)])
def test_sources_add_as_powers(levels: tuple[float, ...]) -> None:
    """By hand: three at -17.5 read -12.7, two at -20 read -17.0 (uncorrelated sum)."""
    (row, *_) = [row for row in programme(analyse(band(levels))) if row.device == "Mixer"]
    one = programme(analyse(band((levels[0], -90.0))))
    offset = next(r for r in one if r.device == "Mixer").shows.value - levels[0]
    by_hand = 10 * math.log10(sum(10 ** (level / 10) for level in levels))
    assert row.shows.value - offset == pytest.approx(by_hand, abs=0.05)
    assert f"{len(levels)} sources at once" in row.words()


def test_the_mark_of_the_programme_is_held_against_the_sum() -> None:
    """Common practice: live music stands at -20 to -15 on the software's meter, all of it together."""
    for shift, word in (
        (0.0, "dB less of the programme"),
        (-4.0, "as live music stream wants"),
        (-12.0, "dB more of the programme"),
    ):
        rows = programme(analyse(band(tuple(-14.0 + shift for _ in range(3)))))
        mixer = next(row for row in rows if row.device == "Mixer")
        assert word in mixer.words(), mixer.words()


def test_a_mark_of_one_source_is_not() -> None:
    rows = programme(analyse(band((-20.0, -20.0), "digital-voice")))
    text = next(row for row in rows if row.device == "Mixer").words()
    assert "one source by itself; 2 alike at once read 3.0 dB more" in text


def test_which_practices_speak_of_the_programme() -> None:
    """Loudness is that of a programme by definition (EBU R 128); a voice's average is that voice's."""
    for practice in shipped_practices().values():
        if practice.scale == "lufs":
            assert practice.programme
        if practice.id in ("digital-voice", "desk-pfl", "station-desk", "unity") or practice.scale == SOUND:
            assert not practice.programme


def test_one_source_alone_is_no_sum_and_a_point_between_has_none() -> None:
    assert programme(analyse(band((-20.0,)))) == ()
    analysis = analyse(band((-20.0, -20.0)))
    assert summed_at(analysis, "mix.out.l") is not None
    assert summed_at(analysis, "mix.in1:pre") is None


def test_peaks_that_pass_full_scale_clip() -> None:
    quiet, loud = (
        next(row for row in programme(analyse(band((level,) * 3))) if row.device == "Mixer") for level in (-30.0, -4.0)
    )
    assert not quiet.clips
    assert loud.clips
    assert "their peaks clip there" in loud.words()


def test_it_is_the_meter_of_the_device_and_its_scale() -> None:
    """A loudness meter is named as one, in LUFS; a digital one in dBFS."""
    for meter in ("lufs", "dbfs"):
        show = band((-20.0, -20.0))
        data = show.model_dump(by_alias=True)
        kind = shipped_catalogue()["soft-mixer"].model_copy(update={"id": "own-mixer", "meter": meter})
        data["kinds"] = [*data["kinds"], kind.model_dump(by_alias=True)]
        for row in data["devices"]:
            row["kind"] = "own-mixer" if row["id"] == "mix" else row["kind"]
        text = next(row for row in programme(analyse(Show.model_validate(data))) if row.device == "Mixer").words()
        assert text.startswith(scales()[meter].name)
        assert scales()[meter].unit in text


def test_an_own_practice_can_speak_of_the_programme() -> None:
    own = Practice(
        id="house",
        name="House",
        scale="dbfs",
        average=-18,
        tolerance_db=1,
        programme=True,
        source="house rule",
    )
    show = apply_all(
        band((-18.0, -18.0)),
        (SetField("show", None, "practices", (own,)), SetField("show", None, "practice", "house")),
    )
    text = next(row for row in programme(analyse(show)) if row.device == "Mixer").words()
    assert "house wants" in text
