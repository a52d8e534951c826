"""The modules beyond the engine: brakes, body, cluster. Each watches the bus and its own supply, and answers UDS.

What they find follows from the car's state, never from a script: engine data that the engine control unit marks invalid
while one of the sensors behind it has failed, and a supply that breaks down. Status bits after ISO 14229-1 [S].
"""

from __future__ import annotations

from dataclasses import dataclass, field

from gumshoe.core.codes import TroubleCode
from gumshoe.core.obd.pids import bitmap_for
from gumshoe.simulator.answers import MOST_NUMBERS, SERVICES, WRONG_LENGTH, code_list, items, padded, refuse, unit_name
from gumshoe.simulator.bus import cut_off, lost_share
from gumshoe.simulator.commanded import SUPPRESS, present
from gumshoe.simulator.vehicle import Identity, Vehicle

TEST_FAILED, FAILED_THIS_CYCLE, PENDING, CONFIRMED = 0x01, 0x02, 0x04, 0x08
NOT_RUN_SINCE_CLEAR, FAILED_SINCE_CLEAR, NOT_RUN_THIS_CYCLE = 0x10, 0x20, 0x40
AVAILABLE = 0x7F
LOW_SUPPLY_V = 9.2
SUPPLY_SECONDS, DATA_SECONDS = 0.2, 2.0
ENGINE_DATA, LOW_SUPPLY = "U040186", "U300316"
GEARBOX_SUPPLY, KEY_UNREAD = "P088216", "P051300"
SUPPLY_LIMITS_V = {LOW_SUPPLY: LOW_SUPPLY_V, GEARBOX_SUPPLY: 8.8, KEY_UNREAD: 8.2}
"""What a supply that breaks down brings: a module notes it, the gearbox fails its own feed, the key's chip is not
read."""
EVERY_GROUP = b"\xff\xff\xff"
ALONE = frozenset({0x03, 0x04, 0x07, 0x0A})
"""Services that take nothing but themselves."""
OBD_KIND = 6
"""European diagnosis (SAE J1979 PID 1C [S])."""
LAMP_CODES = {GEARBOX_SUPPLY}
"""Codes with which the gearbox's unit asks for the lamp."""
ENGINE_LOST, BRAKES_LOST = "U010000", "U012100"
LOST = {ENGINE_LOST: "engine_module", BRAKES_LOST: "brake_module"}
LOST_SECONDS = 1.0
INPUTS_OF_ENGINE_DATA = frozenset(
    {
        "P0102",
        "P0113",
        "P0107",
        "P0098",
        "P0118",
        "P0122",
        "P0123",
        "P2122",
        "P2123",
        "P0335",
        "P0339",
        "P0192",
        "P0193",
    }
)
"""The engine's messages are made from these sensors: while one has failed, they are marked invalid."""
SESSION, CLEAR, READ_CODES, READ_DATA, ROUTINE, PRESENT = 0x10, 0x14, 0x19, 0x22, 0x31, 0x3E
VIN_ID, PART_ID, SOFTWARE_ID = 0xF190, 0xF187, 0xF195


@dataclass
class ChassisMemory:
    """One module's codes (letter, four digits, failure type) with their status bytes; survives key-off."""

    status: dict[str, int] = field(default_factory=dict)
    cycle_open: bool = False


@dataclass(frozen=True)
class ChassisUnit:
    """What sort of module: its name, the component it is on the drawings, bus ids, address over IP, part number,
    software, and what it watches."""

    key: str
    name: str
    component: str
    request_id: int
    response_id: int
    logical: int
    part: str
    software: str
    watches: tuple[str, ...]


UNITS = (
    ChassisUnit(
        "brakes", "Brakes", "brake_module", 0x760, 0x768, 0x1030, "OB-4410-07", "BR 02.14",
        (ENGINE_DATA, LOW_SUPPLY, ENGINE_LOST),
    ),
    ChassisUnit(
        "body", "Body", "body_module", 0x740, 0x748, 0x1040, "OB-2203-11", "BO 05.02",
        (LOW_SUPPLY, KEY_UNREAD, ENGINE_LOST, BRAKES_LOST),
    ),
    ChassisUnit(
        "cluster", "Cluster", "cluster", 0x720, 0x728, 0x1050, "OB-7719-02", "IC 01.33",
        (ENGINE_DATA, LOW_SUPPLY, ENGINE_LOST, BRAKES_LOST),
    ),
)  # fmt: skip
GEARBOX = ChassisUnit(
    "gearbox",
    "Transmission",
    "gearbox_module",
    0x7E1,
    0x7E9,
    0x0018,
    "OB-3108-04",
    "TC 03.21",
    (ENGINE_DATA, LOW_SUPPLY, GEARBOX_SUPPLY),
)


class ChassisModule:
    """One module of the car: watches each step, answers requests."""

    def __init__(self, vehicle: Vehicle, unit: ChassisUnit) -> None:
        self.vehicle, self.unit = vehicle, unit
        self.memory = vehicle.chassis.setdefault(unit.key, ChassisMemory())
        self._since: dict[str, float] = {}

    @property
    def awake(self) -> bool:
        return self.vehicle.powered and not cut_off(self.vehicle.parts, self.unit.component)

    @property
    def answers_s(self) -> float:
        return 0.0

    # -- monitoring ---------------------------------------------------------------------------------------

    def watch(self, seconds: float) -> None:
        """Look at the bus and the supply; ``seconds`` since the last look."""
        memory = self.memory
        if not self.awake:
            if memory.cycle_open:
                self._end_cycle()
            return
        if not memory.cycle_open:
            memory.cycle_open = True
            for code in memory.status:
                memory.status[code] = (memory.status[code] | NOT_RUN_THIS_CYCLE) & ~FAILED_THIS_CYCLE
        for code in self.unit.watches:
            wrong, needed = self._wrong(code)
            self._since[code] = self._since.get(code, 0.0) + seconds if wrong else 0.0
            if self._since[code] >= needed:
                self._fail(code)
            elif not wrong and code in memory.status:
                memory.status[code] &= ~(TEST_FAILED | NOT_RUN_THIS_CYCLE | NOT_RUN_SINCE_CLEAR)

    def _wrong(self, code: str) -> tuple[bool, float]:
        if code in SUPPLY_LIMITS_V:
            return self.vehicle.supply_v < SUPPLY_LIMITS_V[code], SUPPLY_SECONDS
        if code in LOST:
            silent = cut_off(self.vehicle.parts, LOST[code])
            share = lost_share(self.vehicle.parts)
            # A bus that loses frames does so in bursts: now and then nobody is heard for a while.
            burst = share > 0.0 and self.vehicle.random.random() < 0.02 * share
            return silent or burst, 0.0 if share else LOST_SECONDS
        if self.vehicle.engine.state.rpm <= 350.0:
            return False, DATA_SECONDS
        held = (record for record in self.vehicle.memory.records.values() if record.confirmed)
        return any(record.code in INPUTS_OF_ENGINE_DATA for record in held), DATA_SECONDS

    def _fail(self, code: str) -> None:
        status = self.memory.status.get(code, 0)
        matured = code in SUPPLY_LIMITS_V or bool(status & PENDING and not status & FAILED_THIS_CYCLE)
        status &= ~(NOT_RUN_THIS_CYCLE | NOT_RUN_SINCE_CLEAR)
        status |= TEST_FAILED | FAILED_THIS_CYCLE | PENDING | FAILED_SINCE_CLEAR | (CONFIRMED if matured else 0)
        self.memory.status[code] = status

    def _end_cycle(self) -> None:
        self.memory.cycle_open = False
        for code, status in self.memory.status.items():
            if not status & (FAILED_THIS_CYCLE | NOT_RUN_THIS_CYCLE):
                self.memory.status[code] = status & ~PENDING

    # -- UDS ----------------------------------------------------------------------------------------------

    def answer(self, request: bytes, functional: bool) -> list[bytes]:
        """Answers to one request; services it does not know are refused, functional ones in silence."""
        service = request[0] if request else 0
        answers = self._answer(service, request)
        return [] if functional and answers and answers[0][:1] == b"\x7f" else answers

    def _answer(self, service: int, request: bytes) -> list[bytes]:
        if service == PRESENT:
            told = present(request)
            return [told] if told else []
        if service == SESSION:
            return self._session(request)
        if service == READ_CODES:
            return self._codes(request)
        if service == CLEAR:
            if len(request) != 4:
                return refuse(service, WRONG_LENGTH)
            if request[1:] != EVERY_GROUP:
                return refuse(service, 0x31)
            if self.vehicle.engine.state.rpm > 0.0:
                return refuse(service, 0x22)
            self.memory.status.clear()
            return [b"\x54"]
        if service == READ_DATA:
            return self._data(request)
        if service == ROUTINE:
            return [self.vehicle.routines.answer(self.vehicle, request, self.unit.key)]
        return refuse(service, 0x11)

    @staticmethod
    def _session(request: bytes) -> list[bytes]:
        if len(request) != 2:
            return refuse(SESSION, 0x13)
        wanted = request[1] & ~SUPPRESS
        if wanted not in (0x01, 0x03):
            return refuse(SESSION, 0x12)
        return [] if request[1] & SUPPRESS else [bytes((0x50, wanted, 0x00, 0x32, 0x01, 0xF4))]

    def _codes(self, request: bytes) -> list[bytes]:
        if len(request) != 3 or request[1] not in (0x01, 0x02):
            return refuse(READ_CODES, 0x12 if len(request) == 3 else 0x13)
        found = [(code, status) for code, status in self.memory.status.items() if status & request[2] & AVAILABLE]
        if request[1] == 0x01:
            return [bytes((0x59, 0x01, AVAILABLE, 0x01)) + len(found).to_bytes(2, "big")]
        rows = [
            TroubleCode(code[:5]).to_bytes() + bytes((int(code[5:], 16), status & AVAILABLE)) for code, status in found
        ]
        return [bytes((0x59, 0x02, AVAILABLE)) + b"".join(rows)]

    def _data(self, request: bytes) -> list[bytes]:
        texts = {VIN_ID: self.vehicle.identity.vin, PART_ID: self.unit.part, SOFTWARE_ID: self.unit.software}
        wanted = int.from_bytes(request[1:3], "big") if len(request) == 3 else -1
        if wanted not in texts:
            return refuse(READ_DATA, 0x31 if len(request) == 3 else 0x13)
        return [b"\x62" + request[1:3] + texts[wanted].encode("ascii")]


class TransmissionModule(ChassisModule):
    """The gearbox's control unit: it answers what every module of the powertrain must (SAE J1979), and UDS."""

    def __init__(self, vehicle: Vehicle, identity: Identity) -> None:
        super().__init__(vehicle, GEARBOX)
        self.identity = identity

    def _answer(self, service: int, request: bytes) -> list[bytes]:
        if service not in SERVICES:
            return super()._answer(service, request)
        if (len(request) == 1) is not (service in ALONE) or len(request) > 1 + MOST_NUMBERS:
            return refuse(service, WRONG_LENGTH)
        if service == 0x01:
            return self._current(request[1:])
        if service in (0x03, 0x07, 0x0A):
            return [code_list(service, self._held({0x03: CONFIRMED, 0x07: PENDING}.get(service, 0)))]
        if service == 0x04:
            if self.vehicle.engine.state.rpm > 0.0:
                return refuse(0x04, 0x22)
            self.memory.status.clear()
            return [b"\x44"]
        if service == 0x09 and len(request) == 2:
            told = {
                0x04: padded(self.identity.calibration, 16),
                0x06: self.identity.verification.to_bytes(4, "big"),
                0x0A: unit_name(self.identity.name),
            }
            if request[1] == 0x00:
                return [b"\x49\x00" + bitmap_for(0, told)]
            if request[1] in told:
                return [items(request[1], [told[request[1]]])]
        return refuse(service, 0x31)

    def _current(self, numbers: bytes) -> list[bytes]:
        lamp = bytes((len(self._held(CONFIRMED)) | 0x80 * self.lamp, 0, 0, 0))
        parts = {0x01: lamp, 0x0D: bytes((round(self.vehicle.speed_kmh),)), 0x1C: bytes((OBD_KIND,))}
        parts[0x00] = bitmap_for(0, parts)
        told = b"".join(bytes((number,)) + parts[number] for number in dict.fromkeys(numbers) if number in parts)
        return [b"\x41" + told] if told else refuse(0x01, 0x31)

    def _beyond_law(self, service: int, request: bytes) -> list[bytes]:
        """What it answers as every other module does."""
        return super()._answer(service, request)

    @property
    def lamp(self) -> bool:
        """Whether it asks for the lamp."""
        return any(code in LAMP_CODES and status & CONFIRMED for code, status in self.memory.status.items())

    def _held(self, bit: int) -> list[str]:
        """Codes with a status bit set, as the five characters of SAE J2012."""
        return [code[:5] for code, status in self.memory.status.items() if status & bit]
