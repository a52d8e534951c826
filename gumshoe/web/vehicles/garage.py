"""The stand-ins of this process: started once, reached by key."""

from __future__ import annotations

import threading
from concurrent.futures import ProcessPoolExecutor, as_completed
from multiprocessing import get_context
from pathlib import Path

from django.conf import settings

from gumshoe.core.obd.capture import parse_candump
from gumshoe.simulator.fleet import fleet
from gumshoe.simulator.garage import Runner, StandIn, drive_history
from gumshoe.simulator.gateway import Gateway
from gumshoe.simulator.logged import logged_car
from gumshoe.simulator.models import Speech, models
from gumshoe.simulator.node import Node
from gumshoe.simulator.text_adapter import MAKES, TextAdapter
from gumshoe.web.kit.ports import Port

CABLE = "cable"
practised_on: Port[[str], StandIn | None] = Port("the stand-in of an exercise, by its key")
PRACTICE, PRACTICE_FOLDER = "practice-", "practice"
"""How the keys of such stand-ins begin, and where their states are kept."""
_runners: dict[str, Runner] = {}
_adapters: dict[tuple[str, str], TextAdapter] = {}
_gateways: dict[str, Gateway] = {}
_logged: dict[int, Node] = {}
_lock = threading.Lock()


def start(stand_in: StandIn, folder: Path | None, progress: object = None) -> Runner:
    """Prepare and run one stand-in; the same key again returns the running one."""
    with _lock:
        if stand_in.key in _runners:
            return _runners[stand_in.key]
        state = folder / f"{stand_in.key}.json" if folder else None
        runner = Runner(stand_in, channel_of(stand_in.key), state)
        runner.prepare(progress if callable(progress) else None)
        runner.start()
        _runners[stand_in.key] = runner
        return runner


def start_fleet(folder: Path, progress: object = None) -> None:
    """Start every stand-in of the fleet, their states kept in ``folder``; histories are driven on all cores at once."""
    folder.mkdir(parents=True, exist_ok=True)
    new = [row for row in fleet().values() if row.history and not (folder / f"{row.key}.json").exists()]
    if len(new) > 1:
        with ProcessPoolExecutor(mp_context=get_context("spawn")) as pool:
            waiting = {pool.submit(drive_history, row): row for row in new}
            for done in as_completed(waiting):
                row = waiting[done]
                (folder / f"{row.key}.json").write_text(done.result(), encoding="utf-8")
                if callable(progress):
                    progress(f"{row.words}: drove {', '.join(row.history)}")
    for stand_in in fleet().values():
        start(stand_in, folder, progress)


def runner(key: str) -> Runner | None:
    """The running stand-in of that key, or None. That of an exercise goes on from where it was left."""
    found = _runners.get(key)
    if found is not None or not key.startswith(PRACTICE) or settings.PAGES_ONLY:
        return found
    row = practised_on(key)
    return start(row, practice_state(key).parent) if row is not None else None


def practice_state(key: str) -> Path:
    """Where the state of an exercise's stand-in is kept."""
    return Path(settings.DATA_DIR) / PRACTICE_FOLDER / f"{key}.json"


def leave(key: str) -> None:
    """Nobody works on it any more: it stops, and its state goes."""
    with _lock:
        running = _runners.pop(key, None)
        for plugged in [one for one in _adapters if one[0] == key]:
            _adapters.pop(plugged).stop()
        cable = _gateways.pop(key, None)
    if cable is not None:
        cable.stop()
    if running is not None:
        running.stop()
    practice_state(key).unlink(missing_ok=True)


def ways_to(key: str) -> dict[str, str]:
    """What a stand-in may be plugged into, the usual first: the bus itself, text adapters, a network cable."""
    stand_in = fleet().get(key) or (_runners[key].stand_in if key in _runners else None)
    speaks = models()[stand_in.model].speaks if stand_in else Speech.CLASSIC
    found = {} if speaks is Speech.BEFORE_CAN else {"": "a bus adapter"}
    found |= {CABLE: "a network cable: diagnostics over IP"} if speaks is Speech.ON_UDS else {}
    return found | {name: f"a text adapter: {make.words}" for name, make in MAKES.items()}


def text_adapter(key: str, make: str) -> str:
    """The address of a text adapter of that make in a stand-in's socket; it is plugged in when first asked for."""
    with _lock:
        found = _adapters.get((key, make))
        if found is None:
            found = _adapters[key, make] = TextAdapter(_runners[key].socket(), MAKES[make])
            found.start()
        return found.address


def gateway(key: str) -> str:
    """The address of a stand-in's gateway for diagnostics over IP; the cable is plugged in when first asked for."""
    with _lock:
        if key not in _gateways:
            _gateways[key] = _runners[key].gateway()
            _gateways[key].start()
        return _gateways[key].address


def replay(number: int, lines: str) -> str:
    """The virtual bus on which the car of a log answers, from the log's beginning."""
    with _lock:
        before = _logged.pop(number, None)
        if before is not None:
            before.stop()
        channel = f"log-{number}"
        _logged[number] = logged_car(parse_candump(lines.splitlines()), channel)
        _logged[number].start()
        return channel


def stop_all() -> None:
    """Stop every stand-in and keep their states."""
    with _lock:
        for adapter in _adapters.values():
            adapter.stop()
        _adapters.clear()
        for cable in _gateways.values():
            cable.stop()
        _gateways.clear()
        for node in _logged.values():
            node.stop()
        _logged.clear()
        for running in _runners.values():
            running.stop()
        _runners.clear()


def channel_of(key: str) -> str:
    """The virtual bus a stand-in lives on."""
    return f"stand-in-{key}"
