"""Simulated instruments on a simulated bag, and real ones over a pseudo-terminal: what they say, and what goes wrong."""

from __future__ import annotations

import contextlib
import json
import os
import pty
import select
import struct
import threading
import tty

import numpy as np
import pytest

from bibulon.core.leak.after import share_of_choked
from bibulon.core.leak.droptest import fit_test
from bibulon.core.model.base import checked
from bibulon.core.model.drop_test import Reading
from bibulon.core.model.job import DropTest
from bibulon.devices.bagsim import (
    BagTruth,
    Gauge,
    LeakDetector,
    Scale,
    SimulatedBag,
    SimulatedLeak,
    SimulatedPump,
    Thermometer,
    drawn_truth,
)
from bibulon.devices.device import DeviceError
from bibulon.devices.device import Reading as Said
from bibulon.devices.modbus import ModbusDevice
from bibulon.devices.registers import RegisterMap
from bibulon.devices.textline import TextLine, parse_line_map, read_line_map
from bibulon.devices.watched import Watched

LEAK = SimulatedLeak(0.5, 0.2, 1.0, 2e-3)
QUIET = BagTruth(0.01, leaks=(LEAK,), gas=0.0, noise=0.0, wander=0.0, step=0.1)


class Hand:
    def __init__(self):
        self.at = 0.0

    def __call__(self):
        return self.at


def on(truth, seed=1):
    hand = Hand()
    bag = SimulatedBag(truth, seed)
    return hand, bag, Gauge(bag, hand, "gauge"), SimulatedPump(bag, hand, "pump")


def pumped(truth, seed=1, seconds=400.0):
    hand, bag, gauge, pump = on(truth, seed)
    pump.write("run", 1.0)
    hand.at = seconds
    gauge.read()
    pump.write("run", 0.0)
    return hand, bag, gauge, pump


# -- the bag


def test_a_choked_hole_makes_a_straight_line():
    hand, _, gauge, _ = pumped(QUIET)
    start = gauge.read().values["pressure"]
    hand.at += 600
    assert gauge.read().values["pressure"] - start == pytest.approx(2e-3 / 0.01 * 600, rel=1e-3)


def test_it_ends_where_leak_and_pump_are_even():
    _, bag, _, _ = pumped(QUIET, seconds=2000)
    assert bag.pressure == pytest.approx(QUIET.floor + 2e-3 / QUIET.speed, rel=1e-6)


def test_gas_given_off_comes_in_all_and_no_more():
    truth = BagTruth(0.01, gas=400.0, gas_time=100.0, noise=0.0, wander=0.0, step=0.1)
    hand, bag, gauge, _ = pumped(truth, seconds=60)
    before, given = bag.pressure, bag.under_vacuum
    hand.at += 2000
    gauge.read()
    assert bag.pressure - before == pytest.approx(400 * np.exp(-given / 100), rel=0.01)


def test_the_same_seed_is_the_same_bag_however_often_it_is_read():
    truth = drawn_truth(7, 0.01, 101325.0, [(0.1, 0.2, 0.3, 1.0)], 1e-3)
    assert truth == drawn_truth(7, 0.01, 101325.0, [(0.1, 0.2, 0.3, 1.0)], 1e-3)
    seldom, often = pumped(truth, 7), pumped(truth, 7)
    for _ in range(30):
        often[0].at += 10
        often[2].read()
    seldom[0].at += 300
    assert seldom[2].read() == often[2].read()


def test_a_leak_that_is_pressed_is_shut_and_a_clamp_shuts_it_off():
    hand, bag, _, _ = pumped(QUIET)
    bag.clamped = (2.0, 3.0)
    assert bag.leak() == 0
    bag.clamped = (0.5, 1.5)
    assert bag.leak() == pytest.approx(2e-3)
    bag.clamped = None
    assert not bag.press(0.0, 0.0)
    assert bag.press(0.52, 0.2)
    assert bag.leak() == 0
    hand.at += 1


def test_a_detector_is_loudest_at_the_leak():
    hand, bag, _, _ = pumped(QUIET)
    detector = LeakDetector(bag, hand, "detector")
    heard = []
    for x in np.linspace(0, 1, 21):
        detector.write("x", float(x))
        detector.write("y", 0.2)
        heard.append(detector.read().values["loudness"])
    assert int(np.argmax(heard)) == 10
    with pytest.raises(DeviceError, match="x and y"):
        detector.write("z", 1.0)


def test_thermometer_and_scale_tell_what_is_there():
    hand, bag, _, _ = on(BagTruth(0.01, drift=6.0))
    hand.at = 1800
    assert Thermometer(bag, hand, "t").read().values["temperature"] == pytest.approx(297.0, abs=0.2)
    scale = Scale(bag, hand, "s", lambda t: 5.0 - t / 1000)
    assert scale.read().values["mass"] == pytest.approx(3.2, abs=0.02)
    with pytest.raises(DeviceError, match="nothing that can be set"):
        scale.write("mass", 1.0)
    assert share_of_choked(0.1) == pytest.approx(1.0)


def test_what_the_gauge_says_is_judged_as_it_is():
    """The whole way: pump down, shut, read each second, fit: the interval holds what the leak is."""
    truth = BagTruth(0.01, leaks=(LEAK,), gas=300.0, gas_time=90.0)
    hand, _, gauge, _ = pumped(truth, 3, 120.0)
    began, readings = hand.at, []
    for k in range(600):
        hand.at = began + k
        readings.append(Reading(time=float(k), pressure=gauge.read().values["pressure"]))
    found = fit_test(DropTest(readings=tuple(readings), volume=0.01))
    assert found.rise_low <= 0.2 <= found.rise_high


def test_a_pump_knows_one_point():
    hand, _, _, pump = on(QUIET)
    with pytest.raises(DeviceError, match="no “speed”"):
        pump.write("speed", 1.0)
    pump.write("run", 1.0)
    hand.at = 1.0
    assert pump.read().state == "drawing"


# -- what is believed


class Says:
    name, units, points = "gauge", {"pressure": "pressure"}, {}

    def __init__(self, *said):
        self.said = list(said)

    def read(self):
        now = self.said.pop(0)
        if isinstance(now, Exception):
            raise now
        return now


@pytest.mark.parametrize(
    ("said", "words"),
    [
        (OSError("no such port"), "no such port"),
        (Said(0.0, {"pressure": float("nan")}), "nan"),
        (Said(0.0, {"pressure": 9e5}), "check the unit"),
        (Said(0.0, {}, gap="silent"), "silent"),
    ],
)
def test_what_cannot_be_believed_is_a_gap(said, words):
    reading = Watched(Says(said)).read(5.0)
    assert reading.values == {}
    assert words in reading.gap
    assert reading.time == 5.0


def test_a_frozen_gauge_and_a_clock_that_jumps_are_told_and_the_value_stays():
    watched = Watched(Says(*(Said(t, {"pressure": 2000.0}) for t in (0.0, 500.0, 1000.0))))
    for t in (0.0, 500.0):
        assert watched.read(t).values == {"pressure": 2000.0}
        assert watched.note == ""
    assert watched.read(1000.0).values == {"pressure": 2000.0}
    assert "frozen" in watched.note
    jumps = Watched(Says(Said(0.0, {"pressure": 1.0}), Said(3601.0, {"pressure": 2.0})))
    jumps.read(0.0)
    assert jumps.read(1.0).values == {"pressure": 2.0}
    assert "jumped by 3600 s" in jumps.note


# -- lines of text

MAP = {
    "name": "flange gauge",
    "pattern": r"P=\s*(?P<value>[-\d.,]+)\s*(?P<unit>\w+)",
    "values": {"pressure": {"group": "value", "unit_group": "unit"}},
    "period": 0.01,
}


@pytest.fixture
def line():
    """A pseudo-terminal: what is written at one end an instrument sends at the other."""
    ours, theirs = pty.openpty()
    tty.setraw(theirs)
    device = TextLine(os.ttyname(theirs), parse_line_map(json.dumps(MAP), "map.json"))
    yield ours, device
    device.close()
    for end in (ours, theirs):
        with contextlib.suppress(OSError):
            os.close(end)


def said(device, tries=200):
    for _ in range(tries):
        reading = device.read()
        if reading.values or (reading.gap and "sent nothing" not in reading.gap):
            return reading
    return reading


def test_lines_are_read_as_they_come_half_ones_wait(line):
    ours, device = line
    device.read()
    os.write(ours, b"P= 23.5 mbar\r\nP= 2")
    assert said(device).values == pytest.approx({"pressure": 2350.0})
    os.write(ours, b"4.0 mbar\n")
    assert said(device).values == pytest.approx({"pressure": 2400.0})


def test_garbage_a_wrong_unit_and_a_pulled_plug_are_gaps(line):
    ours, device = line
    device.read()
    os.write(ours, b"\xff\xfe??\n")
    assert "does not read as its file says" in said(device).gap
    os.write(ours, b"P= 23.5 kg\n")
    assert "none of pressure" in said(device).gap
    os.write(ours, b"P= .,. mbar\n")
    assert "for a number" in said(device).gap
    os.write(ours, b"P= 21 mbar\n")
    assert said(device).values == pytest.approx({"pressure": 2100.0})
    os.close(ours)
    gone = said(device)
    assert gone.values == {}
    assert gone.gap


def test_a_port_that_is_not_there_is_told(tmp_path):
    device = TextLine(str(tmp_path / "none"), parse_line_map(json.dumps(MAP), "map.json"))
    assert "does not answer" in device.read().gap


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"pattern": "("}, "pattern"),
        ({"values": {"pressure": {"group": "other", "unit": "mbar"}}}, "no group “other”"),
        ({"values": {"pressure": {"group": "value", "unit": "kg"}}}, "no unit of it"),
        ({"baud": "fast"}, "baud"),
    ],
)
def test_a_map_that_is_wrong_says_where(change, words, tmp_path):
    file = tmp_path / "gauge.json"
    file.write_text(json.dumps({**MAP, **change}), encoding="utf-8")
    with pytest.raises(ValueError, match=words):
        read_line_map(file)


def test_a_map_that_is_no_json_says_the_line():
    with pytest.raises(ValueError, match="line 2"):
        parse_line_map("{\n x", "g.json")


def test_a_dial_and_other_units_come_out_absolute():
    dial = parse_line_map(
        json.dumps({**MAP, "values": {"pressure": {"group": "value", "unit": "inHg", "below": True}}}), "m"
    )
    assert dial.parse("P= -26.0 inHg", 101325.0)["pressure"] == pytest.approx(101325 - 26 * 3386.389)
    warm = parse_line_map(
        json.dumps(
            {"name": "t", "pattern": r"(?P<v>\d+) F", "values": {"temperature": {"group": "v", "unit": "F"}}}
        ),
        "m",
    )
    assert warm.parse("68 F", 0)["temperature"] == pytest.approx(293.15)


# -- Modbus RTU


def crc(data: bytes) -> bytes:
    """CRC-16 of Modbus, written from its definition: polynomial A001, low byte first."""
    value = 0xFFFF
    for byte in data:
        value ^= byte
        for _ in range(8):
            value = (value >> 1) ^ 0xA001 if value & 1 else value >> 1
    return struct.pack("<H", value)


def answers(end, stop, garble):
    """Answer every request for two registers with 23.5, as an instrument on a two-wire line does."""
    while not stop.is_set():
        ready, _, _ = select.select([end], [], [], 0.05)
        if not ready:
            continue
        try:
            asked = os.read(end, 64)
        except OSError:
            return
        if len(asked) < 8 or asked[1] != 3:
            continue
        body = bytes([asked[0], 3, 4]) + struct.pack(">f", 23.5)
        os.write(end, body + (b"\0\0" if garble.is_set() else crc(body)))


def test_registers_over_a_two_wire_line_and_a_frame_with_a_wrong_sum():
    ours, theirs = pty.openpty()
    tty.setraw(theirs)
    stop, garble = threading.Event(), threading.Event()
    thread = threading.Thread(target=answers, args=(ours, stop, garble), daemon=True)
    thread.start()
    gauge = checked(
        RegisterMap,
        {
            "name": "rtu gauge",
            "readings": {"pressure": {"address": 0, "kind": "float32", "scale": 100.0, "unit": "mbar"}},
        },
    )
    device = ModbusDevice(gauge, os.ttyname(theirs), 19200, timeout=0.5)
    try:
        assert device.read().values == pytest.approx({"pressure": 2350.0})
        garble.set()
        wrong = device.read()
        assert wrong.values == {}
        assert "does not answer" in wrong.gap
        garble.clear()
        assert device.read().values == pytest.approx({"pressure": 2350.0})
    finally:
        stop.set()
        thread.join(2.0)
        device.close()
        os.close(ours)
        os.close(theirs)
