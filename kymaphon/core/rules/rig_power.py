"""Rules about power: phantom power (IEC 61938) with its current through boosters, and what hangs on a host's USB."""

from __future__ import annotations

from collections.abc import Iterator

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import figure
from kymaphon.core.graph.phantom import Phantom, current_limit, phantom_of, voltage_left, within_budget
from kymaphon.core.model.connectors import adapters, balanced, family
from kymaphon.core.model.edits import AddRow, Edit, Plug, SetField, SetValue, Unplug, apply_all
from kymaphon.core.model.ends import End, end_of
from kymaphon.core.model.findings import Finding, Remedy
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.naming import fresh_id
from kymaphon.core.model.show import Cable, Device
from kymaphon.core.rules.record import rule
from kymaphon.core.wiring.plugging import plug, powered_by, same_sockets, taken_out
from kymaphon.core.wiring.power import FEED_WORDS, HostBudget, feed_of, host_budgets


@rule(
    "phantom-missing",
    "phantom-too-low",
    "phantom-over-budget",
    stage="Rig",
    reads=("layout", "wiring", "switches"),
)
def phantom_power(analysis: Computed) -> Iterator[Finding]:
    """What needs phantom power and gets none, and what is left where it is given (IEC 61938)."""
    for device in analysis.show.devices:
        state = phantom_of(analysis.show, analysis.catalogue, device)
        if state.needs_ma is None or (state.on and within_budget(state.needs_ma, state.supply_v) and not state.too_low):
            continue
        name = analysis.device_name(device.id)
        draw = Derived("draws", state.needs_ma, "mA", source=f"device data: {analysis.catalogue[device.kind].name}")
        left = state.left
        if state.too_low:
            text = (
                f"{name} works from {show_number(state.least_v or 0.0, 'V')} on. It draws {state.needs_ma:.1f} mA from {state.into}, whose "
                f"{show_number(state.supply_v or figure('phantom-volts').value, 'V')} leave "
                f"{show_number(left.value, 'V')} at it: no signal, or a weak and noisy one."
            )
            least = Derived("works from", state.least_v or 0.0, "V", source=draw.source)
            yield Finding(
                "phantom-too-low",
                "stop",
                "Rig",
                (device.id,),
                f"{name} gets too little phantom voltage",
                text,
                (draw, least),
                left,
                tuple(_fuller(analysis, device, state)),
            )
            continue
        if state.on:
            limit = current_limit(state.supply_v).value
            text = f"{name} draws {state.needs_ma:.1f} mA and phantom power gives {limit:.0f} at most."
            yield Finding(
                "phantom-over-budget",
                "fix",
                "Rig",
                (device.id,),
                f"{name} draws too much",
                text,
                (draw,),
                left,
                tuple(_thriftier(analysis, device)),
            )
            continue
        text, remedies = _missing(analysis, device, state, name)
        yield Finding(
            "phantom-missing",
            "stop",
            "Rig",
            (device.id,),
            f"{name} has no phantom power",
            text,
            (draw,),
            left,
            tuple(remedies),
        )


def _fuller(analysis: Computed, device: Device, state: Phantom) -> Iterator[Remedy]:
    """A free socket with a higher supply, under which enough is left."""
    port = next(row for row in analysis.catalogue[device.kind].outputs if row.phantom_ma is not None)
    source = f"{device.id}.{port.id}"
    for end in _phantom_sockets(analysis):
        strip = end.port.strip
        if (
            strip is None
            or _used(analysis, end)
            or end.ref == (state.supply.device + "." + state.supply.key if state.supply else "")
        ):
            continue
        left = voltage_left(state.needs_ma or 0.0, strip.phantom_v)
        if state.least_v is None or left.value < state.least_v:
            continue
        gone = [cable for cable in analysis.show.cables if cable.source == source]
        edits: tuple[Edit, ...] = (
            *(Unplug(*cable.ends) for cable in gone),
            plug(analysis.show, analysis.catalogue, source, end.ref),
            SetValue(SettingRef(end.device.id, end.port.id, "phantom"), True),
        )
        yield Remedy(
            "plug",
            f"Plug it into {end.name}, with phantom on",
            f"It works, with {show_number(left.value, 'V')} left.",
            edits,
        )
        return


def _missing(analysis: Computed, device: Device, state: Phantom, name: str) -> tuple[str, list[Remedy]]:
    needs = state.needs_ma or 0.0
    left, limit = state.left, current_limit(state.supply_v).value
    if state.supply is not None:
        budget = f"it draws {needs:.1f} of the {limit:.0f} mA and would leave {show_number(left.value, 'V')}"
        text = f"{name} needs phantom power and {state.into} has it off: no signal comes out ({budget})."
        effect = f"{name} works, with {show_number(left.value, 'V')} left; mute the channel first."
        return text, [Remedy("phantom-on", f"Switch phantom on: {state.into}", effect, (SetValue(state.supply, True),))]
    if state.lead is not None:
        lead = adapters()[state.lead.adapter or ""].name
        text = (
            f"{name} needs {needs:.1f} mA of phantom power, and the {lead} into {state.into} carries "
            "none: it goes by the contacts of an XLR alone. No signal comes out."
        )
        return text, list(_plain_lead(analysis, device, state.lead, name))
    if state.blocked_by is not None and state.blocked_by != device.id:
        blocker = analysis.show.device(state.blocked_by)
        own = phantom_of(analysis.show, analysis.catalogue, blocker)
        text = f"{name} needs {needs:.1f} mA of phantom power and {state.into} passes none on: no signal comes out."
        if own.needs_ma is not None:
            left_over = show_number(voltage_left(own.needs_ma).value, "V")
            text = (
                f"{name} needs phantom power. {state.into} draws {own.needs_ma:.1f} of the {limit:.0f} "
                f"mA itself, leaves {left_over}, and passes none on: no signal comes out."
            )
        edits = taken_out(analysis.show, analysis.catalogue, blocker)
        if edits is None:
            return text, []
        edits = (*edits, *_phantom_on_after(analysis, blocker))
        after = apply_all(analysis.show, edits)
        if not phantom_of(after, analysis.catalogue, device).on:
            return text, []
        effect = f"{name} gets its power from the input; its own output is strong enough without more gain."
        return text, [Remedy("take-out", f"Take {state.into} out of its way", effect, edits)]
    into = "itself" if state.blocked_by else "nothing that gives any"
    text = f"{name} needs phantom power and is plugged into {into}: no signal comes out."
    supply = next((end for end in _phantom_sockets(analysis) if not _used(analysis, end)), None)
    if supply is None:
        return text, []
    port = next(row for row in analysis.catalogue[device.kind].outputs if row.phantom_ma is not None)
    gone = [cable for cable in analysis.show.cables if cable.source == f"{device.id}.{port.id}"]
    edits = (
        *(Unplug(*cable.ends) for cable in gone),
        plug(analysis.show, analysis.catalogue, f"{device.id}.{port.id}", supply.ref),
        SetValue(SettingRef(supply.device.id, supply.port.id, "phantom"), True),
    )
    return text, [
        Remedy(
            "plug",
            f"Plug it into {supply.name}, with phantom on",
            f"{name} works, with {show_number(left.value, 'V')} left.",
            edits,
        )
    ]


def _plain_lead(analysis: Computed, device: Device, lead: Cable, name: str) -> Iterator[Remedy]:
    """An XLR cable in place of a lead that carries no phantom power, where the socket takes one."""
    straight = lead.with_(adapter=None)
    edits: tuple[Edit, ...] = (Unplug(*lead.ends), Plug(straight))
    end = end_of(analysis.show, analysis.catalogue, lead.target)
    if end.port.connector not in ("xlr", "combo") or end.port.strip is None or not end.port.strip.phantom:
        return
    edits = (*edits, SetValue(SettingRef(end.device.id, end.port.id, "phantom"), True))
    state = phantom_of(apply_all(analysis.show, edits), analysis.catalogue, device)
    if state.on:
        yield Remedy(
            "xlr",
            f"Use an XLR cable into {end.name}, with phantom on",
            f"{name} works, with {show_number(state.left.value, 'V')} left.",
            edits,
        )


def _phantom_on_after(analysis: Computed, blocker: Device) -> tuple[Edit, ...]:
    """Phantom on at the socket that the blocker fed, where it has some."""
    cable = next(row for row in analysis.show.cables if row.source_device == blocker.id)
    end = end_of(analysis.show, analysis.catalogue, cable.target)
    if end.port.strip is None or not end.port.strip.phantom or end.setting.phantom:
        return ()
    return (SetValue(SettingRef(end.device.id, end.port.id, "phantom"), True),)


def _on_the_jack(analysis: Computed, end: End) -> bool:
    """Whether the plug in a combination socket is a jack, by its source or by the lead that adapts it: phantom power is on the
    contacts of the XLR alone (common practice of such sockets).
    """
    cable = next((row for row in analysis.show.cables if row.target == end.ref), None)
    if end.port.connector != "combo" or cable is None:
        return False
    there = family(end_of(analysis.show, analysis.catalogue, cable.source).port)
    adapter = adapters()[cable.adapter] if cable.adapter is not None else None
    if adapter is None:
        return there == "jack"
    return set(adapter.joins) - {there} == {"jack"} or adapter.form in ("breakout", "both")


def _phantom_sockets(analysis: Computed) -> Iterator[End]:
    for device in analysis.show.devices:
        for port in analysis.catalogue[device.kind].inputs:
            if port.strip is not None and port.strip.phantom:
                yield End(device, analysis.catalogue[device.kind], port)


def _used(analysis: Computed, end: End) -> bool:
    return any(cable.target == end.ref for cable in analysis.show.cables)


def _thriftier(analysis: Computed, device: Device) -> Iterator[Remedy]:
    """The kind of the same group and sockets that draws least."""
    kind = analysis.catalogue[device.kind]
    draws = [
        (port.phantom_ma, other)
        for other in analysis.catalogue
        if other.group == kind.group and same_sockets(kind, other)
        for port in other.outputs
        if port.phantom_ma is not None and within_budget(port.phantom_ma)
    ]
    if draws:
        ma, other = min(draws, key=lambda row: row[0])
        effect = f"It draws {ma:.1f} mA and leaves {show_number(voltage_left(ma).value, 'V')}."
        yield Remedy("other", f"Use instead: {other.name}", effect, (SetField("devices", device.id, "kind", other.id),))


@rule("phantom-harms", "phantom-idle", stage="Rig", reads=("layout", "wiring", "switches"))
def phantom_where_it_harms(analysis: Computed) -> Iterator[Finding]:
    """Phantom power that is on where it harms, or where nothing draws it."""
    show, catalogue = analysis.show, analysis.catalogue
    drawing = {
        state.supply: True
        for device in show.devices
        for state in (phantom_of(show, catalogue, device),)
        if state.supply is not None
    }
    for end in _phantom_sockets(analysis):
        ref = SettingRef(end.device.id, end.port.id, "phantom")
        if not end.setting.phantom:
            continue
        if _on_the_jack(analysis, end):
            continue
        source = _behind(analysis, end)
        off = Remedy(
            "phantom-off",
            f"Switch phantom off: {end.name}",
            "Nothing there needs it; mute the channel first.",
            (SetValue(ref, False),),
        )
        harm = source.port.phantom_harm if source is not None else ""
        if source is not None and not harm and not source.port.isolated and source.port.phantom_ma is None:
            harm = _pushed_in(source)
        if source is not None and harm:
            short = figure("phantom-volts").value / (2 * figure("phantom-kohm").value)
            why = Derived(
                "current into one leg at most",
                short,
                "mA",
                "48 V / 6.8 kΩ",
                (figure("phantom-volts"),),
                "IEC 61938, P48",
            )
            text = f"Phantom power is on at {end.name}, and {source.name} is behind it: {harm}."
            yield Finding(
                "phantom-harms",
                "fix",
                "Rig",
                (end.device.id, end.ref, source.device.id),
                f"Phantom power on {source.name}",
                text,
                (why,),
                why,
                (off,),
            )
        elif ref not in drawing and (source is None or source.port.phantom_may_ma is None):
            what = f"{source.name} needs none" if source is not None else "nothing is plugged in"
            text = f"Phantom power is on at {end.name} and does nothing: {what}; it thumps when plugged live."
            yield Finding(
                "phantom-idle",
                "note",
                "Rig",
                (end.device.id, end.ref),
                f"Phantom for nothing at {end.name}",
                text,
                (),
                None,
                (off,),
            )


def _behind(analysis: Computed, end: End) -> End | None:
    """What the phantom power of a socket reaches: through everything that passes it on."""
    show, catalogue, seen = analysis.show, analysis.catalogue, set()
    reference = end.ref
    while True:
        cable = next((row for row in show.cables if row.target == reference), None)
        if cable is None or cable.source in seen:
            return None
        seen.add(cable.source)
        source = end_of(show, catalogue, cable.source)
        if not source.kind.passes_phantom or source.port.isolated or not source.kind.inputs:
            return source
        reference = f"{source.device.id}.{source.kind.inputs[0].id}"


def _pushed_in(source: End) -> str:
    if source.level in ("line", "headphone", "instrument"):
        return "it pushes current into an output that is not made for it, which distorts and may be damaged"
    if not balanced(source.port) and source.level == "mic":
        return "an unbalanced microphone gets 48 V on its signal contact"
    return ""


@rule("host-not-told", "bus-unknown", "bus-over-budget", stage="Rig", reads=("layout", "wiring", "switches"))
def bus_power(analysis: Computed) -> Iterator[Finding]:
    """What hangs on the USB of each host, phantom power with it, against what it gives."""
    show, catalogue = analysis.show, analysis.catalogue
    for budget in host_budgets(show, catalogue):
        host = analysis.device_name(budget.host)
        users = ", ".join(analysis.device_name(row) for row in budget.users)
        if budget.gives is None:
            text = (
                f"{users} draws {show_number(budget.drawn.value, 'mA')} from {host}, and what that gives is not known."
            )
            yield Finding(
                "bus-unknown",
                "note",
                "Rig",
                (budget.host, *budget.users),
                f"What {host} gives is not known",
                text,
                (budget.drawn,),
                budget.drawn,
                tuple(_bus_remedies(analysis, budget)),
            )
        elif budget.over_ma > 0:
            text = f"{users} draws {budget.drawn.value:.0f} mA from {host}, which gives {budget.gives.value:.0f}: it drops out or never starts."
            why = Derived(
                "drawn",
                budget.drawn.value,
                "mA",
                "sum of the lines",
                (*budget.drawn.terms, budget.gives),
                budget.gives.source,
            )
            figures = (Derived("drawn", budget.drawn.value, "mA"), Derived("given", budget.gives.value, "mA"))
            yield Finding(
                "bus-over-budget",
                "fix",
                "Rig",
                (budget.host, *budget.users),
                f"{host} gives too little USB power",
                text,
                figures,
                why,
                tuple(_bus_remedies(analysis, budget)),
            )
    loose = [
        device for device in show.devices if device.host is None and feed_of(device, catalogue[device.kind]) == "bus"
    ]
    if loose:
        names = ", ".join(analysis.device_name(row.id) for row in loose)
        verb = "runs" if len(loose) == 1 else "run"
        text = f"{names} {verb} from the USB of a computer, and which one is not said: whether it gives enough cannot be told."
        yield Finding(
            "host-not-told",
            "note",
            "Rig",
            tuple(row.id for row in loose),
            "Which computer feeds what",
            text,
            (),
            None,
            tuple(_host_remedies(analysis, loose)),
        )


def _bus_remedies(analysis: Computed, budget: HostBudget) -> Iterator[Remedy]:
    show, catalogue = analysis.show, analysis.catalogue
    for user in budget.users:
        device = show.device(user)
        kind = catalogue[device.kind]
        other = next((feed for feed in kind.power.by if feed != "bus"), None) if kind.power else None
        if other is not None:
            name = analysis.device_name(user)
            yield Remedy(
                f"own-{user}",
                f"Run {name} from {FEED_WORDS[other]}",
                f"It takes nothing from {analysis.device_name(budget.host)}.",
                (powered_by(device, other),),
            )
    hub = Device(
        id=fresh_id(show, "usb-hub"),
        kind="usb-hub",
        name="Powered hub",
        place=show.device(budget.host).place,
        host=budget.host,
    )
    edits: tuple[Edit, ...] = (
        AddRow("devices", hub),
        *(SetField("devices", user, "host", hub.id) for user in budget.users),
    )
    yield Remedy(
        "hub",
        "Put a hub with its own supply between",
        "The hub feeds them from the mains; the host only talks to them.",
        edits,
    )


def _host_remedies(analysis: Computed, loose: list[Device]) -> Iterator[Remedy]:
    show = analysis.show
    hosts = [row for row in show.devices if analysis.catalogue[row.kind].is_computer]
    for host in hosts[:3]:
        edits: tuple[Edit, ...] = tuple(SetField("devices", row.id, "host", host.id) for row in loose)
        name = analysis.device_name(host.id)
        yield Remedy(f"host-{host.id}", f"They hang on {name}", "The sum of what they draw is then computed.", edits)
    if not hosts:
        laptop = Device(id=fresh_id(show, "laptop"), kind="laptop", name="Laptop", place=loose[0].place)
        edits_: tuple[Edit, ...] = (
            AddRow("devices", laptop),
            *(SetField("devices", row.id, "host", laptop.id) for row in loose),
        )
        yield Remedy("laptop", "Add a laptop that they hang on", "The sum of what they draw is then computed.", edits_)
