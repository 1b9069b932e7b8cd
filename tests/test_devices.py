"""The simulated injection machine: what it does without faults, and that it ends safe with them."""

from __future__ import annotations

import math
import socket
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bibulon.core.mould.recipe import Course
from bibulon.devices.device import DeviceError
from bibulon.devices.injector import Injection, Injector
from bibulon.devices.machine import FAULTS, Fault, PartResistance, SimulatedMachine
from bibulon.devices.modbus import ModbusDevice
from bibulon.devices.registers import Register, read_map, shipped_map
from bibulon.devices.served import Served

DENSITY, VACUUM = 1100.0, 4e4


def strip(end=600.0, pressure=1.0e5, shot=3.0):
    """A part that fills as a strip does at one pressure: mass by the root of time, resistance by the mass that is in."""
    time = np.linspace(0.0, end, 200)
    mass = shot * np.sqrt(time / end)
    flow = np.diff(mass, prepend=0.0) / np.diff(time, prepend=-1.0)
    return Course(time, np.full(200, pressure), flow, mass, 0.0)


def machine(faults=(), limit=1.2e5):
    return SimulatedMachine(PartResistance.of(strip(), DENSITY, VACUUM), limit, faults)


def shot(device, plan, step=0.5):
    run = Injector(device, plan)
    run.begin()
    while not run.ended:
        device.step(step)
        run.look()
    for _ in range(40):
        device.step(step)
    return run


def test_at_the_forecasts_pressure_it_takes_as_long_as_the_forecast():
    device = machine()
    run = shot(device, Injection(2e-4, 1.0e5, 2.7, 3000.0))
    assert run.ended == "full"
    taken = np.interp(2.7, [r.values["mass"] for r in run.rows], [r.time for r in run.rows])
    assert taken == pytest.approx(600 * 0.9**2, rel=0.03)
    assert max(r.values["pressure"] for r in run.rows) <= 1.0e5 * 1.001
    assert device.safe


def test_by_flow_pressure_rises_until_its_set_point_and_stays():
    """A strip at a rate: p − p_vac = Q R(m), R growing with the mass; then held at the set pressure."""
    device = machine()
    rate = 8e-6
    run = shot(device, Injection(rate, 1.0e5, 2.7, 6000.0))
    early = [r for r in run.rows[:-1] if 0.05 < r.values["pressure"] / 1.0e5 < 0.95 and r.time > 20]
    assert early
    assert {round(r.values["flow"] / rate, 1) for r in early} == {1.0}
    late = run.rows[-2]
    assert late.values["pressure"] == pytest.approx(1.0e5, rel=0.01)
    assert late.values["flow"] < rate
    pressures = [r.values["pressure"] for r in run.rows[:-1]]
    assert all(b >= a - 200 for a, b in pairwise(pressures))


def test_it_refuses_what_is_over_its_limit():
    device = machine()
    for point, value in (
        ("pressure", 1.3e5),
        ("rate", 1.0),
        ("mass", -1.0),
        ("mass", math.nan),
        ("colour", 1.0),
    ):
        with pytest.raises(DeviceError):
            device.write(point, value)


@pytest.mark.parametrize(
    ("fault", "words"),
    [
        (Fault("blocked filter", 60, 0.9), "no resin comes"), (Fault("empty tank", 60), "no resin comes"),
        (Fault("pressure spike", 60, 0.8), "knocked"), (Fault("ratio drift", 60, 0.8), "ratio"),
    ],
    ids=FAULTS,
)  # fmt: skip
def test_each_fault_trips_it_and_says_why(fault, words):
    device = machine([fault])
    run = shot(device, Injection(2e-5, 1.0e5, 2.7, 6000.0))
    assert words in run.ended
    assert device.safe
    with pytest.raises(DeviceError, match="has tripped"):
        device.write("run", 1.0)
    device.acknowledge()
    device.write("run", 1.0)
    assert device.running


def test_a_mild_fault_does_not_stop_a_shot():
    assert (
        shot(machine([Fault("blocked filter", 60, 0.3)]), Injection(2e-5, 1.0e5, 2.7, 6000.0)).ended == "full"
    )
    assert shot(machine([Fault("ratio drift", 60, 0.1)]), Injection(2e-5, 1.0e5, 2.7, 6000.0)).ended == "full"


def test_an_emergency_stop_clamps_at_once():
    device = machine()
    run = Injector(device, Injection(2e-5, 1.0e5, 2.7, 6000.0))
    run.begin()
    device.step(30.0)
    device.stop()
    assert not device.running
    assert device.read().values["flow"] == 0
    run.look()
    assert run.ended == "emergency stop"
    for _ in range(60):
        device.step(0.5)
    assert device.read().values["pressure"] == pytest.approx(VACUUM, rel=0.02)


def test_random_recipes_and_faults_never_pass_the_limit_and_end_safe():
    """A few of what ``bin/bench machine`` runs a thousand of."""
    from benchmarks.machine import played  # it is built from what stands here

    trips = played(80, seed=16)
    assert 15 < trips < 72


# -- over Modbus, on this machine's loopback


@pytest.fixture
def port():
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        return free.getsockname()[1]


def test_a_shot_over_modbus_is_the_shot_itself(port):
    device, registers = machine(), shipped_map()
    plan = Injection(2e-5, 1.0e5, 1.5, 3000.0)
    with Served(device, registers, port) as served:
        remote = ModbusDevice(registers, "127.0.0.1", port, now=lambda: device.time)
        run = Injector(remote, plan)
        run.begin()
        while not run.ended:
            with served.lock:
                device.step(2.0)
            run.look()
        assert run.ended == "full"
        with pytest.raises(DeviceError, match="refuses"):
            remote.write("pressure", 5e5)
        with pytest.raises(DeviceError, match="no “colour”"):
            remote.write("colour", 1.0)
        device.acknowledge()
        device.stop()
        assert remote.read().alarms == ("emergency stop",)
        assert remote.read().state == "tripped"
    local = shot(machine(), plan, step=2.0)
    assert [r.values["mass"] for r in run.rows] == pytest.approx(
        [r.values["mass"] for r in local.rows], rel=1e-5
    )
    gone = remote.read()
    assert gone.values == {}
    assert "does not answer" in gone.gap
    remote.close()


def test_a_port_in_use_is_told(port):
    with (
        Served(machine(), shipped_map(), port),
        pytest.raises(DeviceError, match="cannot be used"),
        Served(machine(), shipped_map(), port),
    ):
        pass


def test_a_controller_that_comes_back_is_read_again(port):
    registers = shipped_map()
    remote = ModbusDevice(registers, "127.0.0.1", port, timeout=0.3)
    assert remote.read().gap
    with Served(machine(), registers, port):
        assert remote.read().values["pressure"] == pytest.approx(VACUUM)
    remote.close()


@given(st.floats(-3e4, 3e4), st.sampled_from(["float32", "int16", "uint16"]), st.floats(1e-3, 1e3))
def test_registers_give_back_what_was_put_in(raw, kind, scale):
    raw = abs(raw) if kind == "uint16" else raw
    register = Register(address=0, kind=kind, scale=scale)
    back = register.decode(register.encode(raw * scale))
    assert back == pytest.approx(raw * scale, rel=1e-6, abs=0.51 * scale)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("{", "line 1: this is no JSON"), ('{"name": "x"}', "readings"),
        ('{"name": "x", "readings": {"p": {"address": 70000}}}', "readings · p · address"),
        ('{"name": "x", "readings": {"p": {"address": 0}, "q": {"address": 1}}}', "share register 1"),
    ],
)  # fmt: skip
def test_a_wrong_map_says_what_and_where(tmp_path, text, words):
    path = tmp_path / "map.json"
    path.write_text(text, encoding="utf-8")
    with pytest.raises(ValueError, match=words):
        read_map(path)


def test_what_does_not_fit_a_register_is_refused():
    with pytest.raises(ValueError, match="does not fit"):
        Register(address=0, kind="uint16").encode(7e4)
    with pytest.raises(ValueError, match="no number"):
        Register(address=0).encode(math.nan)
