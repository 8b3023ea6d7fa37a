"""The stand-in printer at a local socket: JSON, a line a message; docs/printer.md tells them all."""

from __future__ import annotations

import json
import socket
import threading
import time
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from cutkey.core.errors import BadInput
from cutkey.core.rehearse.printer import FAULTS, Load, StandIn

#: Seconds between two looks at the clock, and bytes of a line at most.
_TICK, _LINE = 0.02, 65536


class Exchange:
    """Answers requests and lets time go by, so many times as fast.

    Parameters
    ----------
    printer : StandIn
    loads : mapping of int to Load
        Bed loads that can be printed, by number from 1.
    factor : float
        Seconds of the print for one of the clock.
    """

    def __init__(self, printer: StandIn, loads: Mapping[int, Load], factor: float = 1.0) -> None:
        self._printer, self._loads, self._factor = printer, loads, factor
        self._lock = threading.Lock()
        self._ended = threading.Event()

    def answer(self, line: str) -> dict[str, Any]:
        """The answer to a request."""
        try:
            asked = json.loads(line)
            do = asked["do"]
        except (ValueError, TypeError, KeyError, RecursionError):
            return {"ok": False, "why": 'a request is a JSON object with "do"'}
        with self._lock:
            why = self._done(str(do), asked)
            return {
                "ok": not why,
                **({"why": why} if why else {}),
                **self._status(int(asked["since"]) if _whole(asked.get("since")) else 0),
            }

    def _done(self, do: str, asked: Mapping[str, Any]) -> str:
        p = self._printer
        acts: dict[str, Callable[[], str | None]] = {
            "status": lambda: "",
            "resume": p.resume,
            "stop": p.stop,
            "end": self._ended.set,
            "load": lambda: p.put_in(str(asked.get("filament", "")), str(asked.get("instead", ""))),
            "print": lambda: (
                p.start(self._loads[asked["bed"]])
                if _whole(asked.get("bed")) and asked["bed"] in self._loads
                else "there is no such bed load"
            ),
            "fail": lambda: self._plant(asked),
        }
        return (acts[do]() or "") if do in acts else f"it can {', '.join(acts)}"

    def _plant(self, asked: Mapping[str, Any]) -> str:
        if asked.get("how") not in FAULTS or not _whole(asked.get("layer")):
            return f'"how" is one of {", ".join(FAULTS)}, "layer" a number'
        self._printer.plant(asked["how"], int(asked["layer"]))
        return ""

    def _status(self, since: int) -> dict[str, Any]:
        p = self._printer
        log = [{"seconds": round(t.seconds, 1), "layer": t.layer, "text": t.text} for t in p.log[since:]]
        layers = len(p.load.layers) if p.load is not None else 0
        return {
            "state": p.state,
            "asks": p.asks,
            "layer": p.layer,
            "layers": layers,
            "progress": round(p.progress, 4),
            "loaded": list(p.loaded),
            "log": log,
        }

    def serve(self, path: Path) -> None:
        """Answer at a socket until somebody says "end".

        Raises
        ------
        BadInput
            When the socket cannot be made.
        """
        try:
            server = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
            server.bind(str(path))
        except OSError as error:
            raise BadInput(
                f"{path} cannot be a socket: {error.strerror}; choose another name, or take the old one away."
            ) from None
        server.listen(4)
        server.settimeout(_TICK)
        threading.Thread(target=self._clock, daemon=True).start()
        try:
            while not self._ended.is_set():
                try:
                    peer, _ = server.accept()
                except TimeoutError:
                    continue
                threading.Thread(target=self._talk, args=(peer,), daemon=True).start()
        finally:
            server.close()
            path.unlink(missing_ok=True)

    def _clock(self) -> None:
        last = time.monotonic()
        while not self._ended.wait(_TICK):
            now = time.monotonic()
            with self._lock:
                self._printer.run_on((now - last) * self._factor)
            last = now

    def _talk(self, peer: socket.socket) -> None:
        with peer, peer.makefile("rw", encoding="utf-8", newline="\n") as file:
            try:
                while line := file.readline(_LINE):
                    file.write(json.dumps(self.answer(line), ensure_ascii=False) + "\n")
                    file.flush()
            except (OSError, ValueError):
                return


def _whole(value: object) -> bool:
    return isinstance(value, int) and not isinstance(value, bool)
