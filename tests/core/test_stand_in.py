"""The stand-in printer: loads of a written file, each of its faults in turn, and what it says at its
socket."""

from __future__ import annotations

import json
import socket
import threading
import time
from itertools import pairwise

import pytest
from msgspec.structs import replace
from tests.known import known

from cutkey.cli.main import main
from cutkey.core.kit.loads import lay_out
from cutkey.core.kit.threemf import bytes_3mf
from cutkey.core.model.printer import Printer
from cutkey.core.rehearse.exchange import Exchange
from cutkey.core.rehearse.film import run
from cutkey.core.rehearse.loads import load_of
from cutkey.core.rehearse.printer import FAULTS, Load, PlannedLayer, StandIn
from cutkey.core.rehearse.read import beds_of, read_print
from cutkey.core.rehearse.settings import settings_of
from cutkey.demo.jobs import demo_job

NAMES = ["Fog PLA", "Moss PLA", "Brick PLA"]


@pytest.fixture(scope="module")
def sign(tmp_path_factory):
    """The demo sign's written file, rehearsed in thick layers, and its bed loads."""
    job, sources = demo_job("sign")
    kit = known(sources).kit(job)
    path = tmp_path_factory.mktemp("sign") / "sign.3mf"
    path.write_bytes(bytes_3mf(job.name, kit.units, lay_out(kit.units, job.printer), job.printer))
    settings = settings_of(job.printer)._replace(layer=1.0, first=1.0)
    beds = beds_of(read_print(path.read_bytes(), path.name), settings.bed)
    return job, path, [load_of(bodies, run(bodies, settings, n)) for n, bodies in enumerate(beds, 1)]


def to_the_end(stand_in: StandIn, load: Load, most: int = 4000) -> list[str]:
    """Print on, doing what is asked for; what was said."""
    for _ in range(most):
        stand_in.run_on(600.0)
        if stand_in.state in ("waiting", "off"):
            if stand_in.resume():
                wanted = next(f for f in load.filaments if f not in stand_in.loaded)
                assert stand_in.put_in(wanted, stand_in.loaded[0]) == ""
                assert stand_in.resume() == ""
        elif stand_in.state != "printing":
            break
    return [t.text for t in stand_in.log]


def test_the_signs_six_loads_are_printed_with_every_fault_in_turn(sign):
    job, _, loads = sign
    assert len(loads) == 6 and all(len(x.filaments) >= 3 for x in loads)
    for n, load in enumerate(loads):
        stand_in = StandIn(replace(job.printer, loaded=8), load.filaments)
        fault = FAULTS[n % len(FAULTS)]
        stand_in.plant(fault, 3)
        assert stand_in.start(load) == ""
        said = to_the_end(stand_in, load)
        ends = {
            "runs out": "is empty",
            "loses a step": "begin this bed load again",
            "jams": "clear the nozzle",
            "loses power": "power was lost",
        }
        assert sum(ends[fault] in t for t in said) == 1
        if fault == "loses a step":
            assert stand_in.state == "spoiled" and "cannot go on" in stand_in.resume()
            assert stand_in.start(load) == "" and "has printed" in to_the_end(stand_in, load)[-1]
        assert stand_in.state == "done" and stand_in.progress == 1
        # The time is that of the rehearsal, and of the changes.
        order = [f for x in load.layers for f in x.filaments]
        changes = sum(a != b for a, b in pairwise(order))
        assert stand_in.log[-1].seconds == pytest.approx(
            sum(x.seconds for x in load.layers) + 120 * changes, rel=1e-6
        )


def test_one_filament_at_once_is_asked_for_at_every_change():
    layers = tuple(
        PlannedLayer(0.2 * n, 30.0, (f,))
        for n, f in enumerate(["Fog PLA"] * 3 + ["Moss PLA"] * 2 + ["Fog PLA"], 1)
    )
    load = Load("Bed 1", (50, 50, 1.2), layers, {"Fog PLA": 3.0, "Moss PLA": 2.0})
    stand_in = StandIn(Printer(loaded=1), ["Fog PLA"])
    assert stand_in.start(load) == ""
    stand_in.run_on(1e6)
    assert (
        stand_in.state == "waiting"
        and stand_in.asks == "take Fog PLA out and put Moss PLA in, then go on"
        and stand_in.layer == 4
    )
    assert stand_in.resume() == "It still needs Moss PLA; load it first."
    assert "All places are taken" in stand_in.put_in("Moss PLA") and "not loaded" in stand_in.put_in(
        "Moss PLA", "Brick PLA"
    )
    assert to_the_end(stand_in, load)[-1].startswith("has printed Bed 1")
    assert sum("take Fog" in t.text or "take Moss" in t.text for t in stand_in.log) == 2 and stand_in.log[
        -1
    ].seconds == pytest.approx(6 * 30 + 2 * 120)
    assert stand_in.resume() == "It is not waiting for anything."
    stand_in.start(load)
    stand_in.stop()
    assert stand_in.state == "idle" and stand_in.progress == 0


@pytest.mark.parametrize("fault", ["runs out", "loses power"])
def test_a_fault_at_a_change_does_not_swallow_the_change(fault):
    """Both in layer 3: first what went wrong, then the change, in the time it takes."""
    layers = tuple(
        PlannedLayer(0.2 * n, 30.0, (f,)) for n, f in enumerate(["Fog PLA"] * 2 + ["Moss PLA"] * 2, 1)
    )
    load = Load("Bed 1", (50, 50, 0.8), layers, {})
    stand_in = StandIn(Printer(loaded=1), ["Fog PLA"])
    stand_in.plant(fault, 3)
    stand_in.start(load)
    stand_in.run_on(1e6)
    assert stand_in.state in ("waiting", "off") and "take " not in stand_in.asks and stand_in.resume() == ""
    assert (
        stand_in.state == "waiting"
        and stand_in.asks.startswith("take Fog PLA out")
        and "still needs" in stand_in.resume()
    )
    assert stand_in.put_in("Moss PLA", "Fog PLA") == "" and stand_in.resume() == ""
    stand_in.run_on(1e6)
    assert stand_in.state == "done" and stand_in.log[-1].seconds == pytest.approx(4 * 30 + 120)
    assert "has no layers" in StandIn(Printer(), NAMES).start(load._replace(layers=()))


def test_it_refuses_what_a_printer_would(tmp_path, sign, capsys):
    load = Load("Bed 1", (300, 50, 5), (PlannedLayer(0.2, 10, ("Fog PLA",)),), {})
    assert "lay it out for this printer" in StandIn(Printer(), NAMES).start(load)
    small = load._replace(size=(30, 30, 5))
    assert "which is not loaded" in StandIn(Printer(), ["Moss PLA"]).start(small)
    thin = small._replace(thinnest=0.3)
    assert (
        "nozzle of 0.6 mm cannot draw" in StandIn(Printer(nozzle=0.6), NAMES).start(thin)
        and StandIn(Printer(), NAMES).start(thin) == ""
    )
    _, path, loads = sign
    slots = str(len(loads[0].filaments))
    assert main(["printer", str(path), "--layer", "2", "--slots", slots, "--fail", "jams@2"]) == 0
    said = capsys.readouterr().out
    assert "clear the nozzle" in said and "has printed Bed 1" in said
    assert main(["printer", str(path), "--layer", "2", "--slots", slots, "--loaded", "Fog PLA"]) == 1
    assert "refused: Bed 1 needs" in capsys.readouterr().out
    assert (
        main(["printer", str(path), "--layer", "2", "--bed", "9"]) == 2
        and main(["printer", str(path), "--fail", "melts@1", "--layer", "2"]) == 2
    )


def test_it_answers_at_a_socket_and_bad_requests_do_no_harm(tmp_path, sign):
    _, _, loads = sign
    stand_in = StandIn(Printer(loaded=8), loads[0].filaments)
    exchange = Exchange(stand_in, dict(enumerate(loads, 1)), 1e6)
    path = tmp_path / "printer"
    server = threading.Thread(target=exchange.serve, args=(path,), daemon=True)
    server.start()
    end = time.monotonic() + 10
    while not path.exists() and time.monotonic() < end:
        time.sleep(0.01)
    with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as peer:
        peer.connect(str(path))
        with peer.makefile("rw", encoding="utf-8") as file:

            def ask(request: object) -> dict:
                file.write((request if isinstance(request, str) else json.dumps(request)) + "\n")
                file.flush()
                return json.loads(file.readline())

            assert ask({"do": "status"})["state"] == "idle"
            for bad in (
                "nonsense",
                "[]",
                '{"do": 5}',
                '{"do": "print", "bed": 99}',
                '{"do": "print", "bed": [1]}',
                '{"do": "fail", "how": "melts", "layer": 1}',
                '{"do": "resume"}',
            ):
                assert ask(bad)["ok"] is False
            assert ask({"do": "fail", "how": "loses power", "layer": 4})["ok"]
            assert ask({"do": "print", "bed": 1})["ok"]
            end = time.monotonic() + 20
            while (now := ask({"do": "status"}))["state"] == "printing" and time.monotonic() < end:
                time.sleep(0.02)
            assert (
                now["state"] == "off"
                and "power was lost in layer 4" in now["asks"]
                and 0 < now["progress"] < 1
            )
            assert ask({"do": "resume"})["ok"]
            while (now := ask({"do": "status"}))["state"] == "printing" and time.monotonic() < end:
                time.sleep(0.02)
            assert (
                now["state"] == "done"
                and now["log"][-1]["text"].startswith("has printed")
                and now["layer"] == now["layers"]
            )
            assert ask({"do": "end"})["ok"]
    server.join(5)
    assert not server.is_alive() and not path.exists()
