"""Lantern Quay after somebody has been at the desk: whatever was turned, its remedies still hold.

In a file of its own, as the longest of the random tests: the two workers of a test run then share them.
"""

from __future__ import annotations

from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.offers import MOST_OFFERED
from kymaphon.core.computing.compute import without_rules
from kymaphon.core.model.show import Show
from tests.budget import tries
from tests.test_fuzz import DEMO, DEMO_KINDS, assert_sound

GONE = ("own-voice-back", "heard-unwanted", "wanted-not-heard", "phantom-missing", "clips", "loop-howls")
"""What each of their remedies has to take away."""
SWITCHES = [
    (device["id"], path.key) for device in DEMO["devices"] for path in DEMO_KINDS[device["kind"]].paths if path.switch
]
STRIPS = [
    (device["id"], port.id)
    for device in DEMO["devices"]
    for port in DEMO_KINDS[device["kind"]].inputs
    if port.strip and port.strip.gain_db and port.strip.gain_db[0] < port.strip.gain_db[1]
]


@st.composite
def meddled(draw: st.DrawFn) -> Show:
    """Lantern Quay after somebody has been at the desk: switches thrown, gains turned, wants changed."""
    from kymaphon.core.model.edits import Edit, SetValue, SetWant, apply_all
    from kymaphon.core.model.ids import SettingRef

    edits: list[Edit] = []
    for device, key in draw(st.lists(st.sampled_from(SWITCHES), max_size=8, unique=True)):
        edits.append(SetValue(SettingRef(device, key, "on"), draw(st.booleans())))
    for device, key in draw(st.lists(st.sampled_from(STRIPS), max_size=3, unique=True)):
        port = DEMO_KINDS[next(row["kind"] for row in DEMO["devices"] if row["id"] == device)].port(key)
        assert port is not None and port.strip is not None and port.strip.gain_db is not None  # noqa: PT018
        edits.append(
            SetValue(SettingRef(device, key, "gain_db"), float(draw(st.integers(*map(int, port.strip.gain_db)))))
        )
    listeners = [row["id"] for row in DEMO["parties"] if row.get("listens")]
    voices = [row["id"] for row in DEMO["parties"] if row.get("speaks")]
    for listener, voice in draw(
        st.lists(st.tuples(st.sampled_from(listeners), st.sampled_from(voices)), max_size=3, unique=True)
    ):
        edits.append(SetWant(listener, voice, draw(st.sampled_from(["hear", "never", "any"]))))
    return apply_all(Show.model_validate(DEMO), tuple(edits))


@given(meddled())
@settings(max_examples=tries(1))
def test_however_the_demo_is_meddled_with_its_remedies_hold(show: Show) -> None:
    """Each remedy removes its finding, takes away nothing that was wanted and heard, and lets nobody hear themselves late anew."""
    analysis = analyse(show)
    assert_sound(analysis)
    kept = {
        key
        for key, feed in analysis.feeds.items()
        if feed.asked and feed.want == "hear" and feed.verdict not in ("missing", "silent")
    }
    late = {key for key, feed in analysis.feeds.items() if feed.verdict == "back"}
    seen: set[str] = set()
    for row in analysis.findings:
        if row.stage == "Cast":
            continue  # nobody moved; test_cast_rules tries each of those
        # Of the many knobs that could each bring a level to its mark, as many as are offered at most.
        for number, remedy in enumerate(row.remedies[:MOST_OFFERED]):
            # What no remedy but the first of a stage changes in other rules' findings is looked at once.
            whole = row.code in GONE or (row.stage not in seen and not number)
            seen.add(row.stage)
            mended = remedy.apply(show)
            after = analyse(mended, remedies=False) if whole else without_rules(mended, analysis.catalogue)
            assert_sound(after)
            names = (row.code, remedy.label)
            if row.code in GONE:
                assert row.key not in {other.key for other in after.findings}, names
            if row.code == "arrives-twice":
                assert not [pair for pair in row.pairs if after.feeds[pair].verdict == "twice"], names
            if row.stage == "Feeds":
                assert not [key for key in kept if after.feeds[key].verdict == "missing"], names
                assert {key for key, feed in after.feeds.items() if feed.verdict == "back"} <= late, names


def test_a_mix_by_which_alone_somebody_comes_is_not_switched_off() -> None:
    """Found by the test above: with the mixer's own input off, the mix beside it was all that brought the jingles."""
    from kymaphon.core.model.edits import SetValue, apply_all
    from kymaphon.core.model.ids import SettingRef

    off = ("in1>main", "in8>main", "in1>send2", "in5>send2", "in6>send1", "in7>send1", "usb-in>send1")
    turned = [*(("desk", key) for key in off), ("mixer", "in1>main")]
    edits = [SetValue(SettingRef(device, key, "on"), False) for device, key in turned]
    edits.append(SetValue(SettingRef("mixer", "in5", "gain_db"), -21.0))
    show = apply_all(Show.model_validate(DEMO), tuple(edits))
    analysis = analyse(show)
    wanted = {
        key for key, feed in analysis.feeds.items() if feed.asked and feed.want == "hear" and feed.verdict != "missing"
    }
    found = [row for row in analysis.findings if row.code == "mix-offered-twice"]
    assert found
    for row in found:
        for remedy in row.remedies:
            after = without_rules(remedy.apply(show), analysis.catalogue)
            assert not [key for key in wanted if after.feeds[key].verdict == "missing"], remedy.label
