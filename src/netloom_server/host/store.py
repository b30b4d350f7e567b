"""All records of the engine, by what they are about."""

from __future__ import annotations

from netloom_core.engine.ports import EventSink
from netloom_core.library.load import Library
from netloom_server.host.devices import DeviceRecords
from netloom_server.host.firmware import FirmwareRecords
from netloom_server.host.points import PointRecords
from netloom_server.host.proofs import ProofRecords
from netloom_server.host.runs import PlanRecords, RunRecords
from netloom_server.host.sweeps import SweepRecords


class RecordStore:
    def __init__(self, library: Library, events: EventSink) -> None:
        self.devices = DeviceRecords(library)
        self.runs = RunRecords()
        self.firmware = FirmwareRecords(library)
        self.points = PointRecords()
        self.plans = PlanRecords(library)
        self.proofs = ProofRecords(library)
        self.sweeps = SweepRecords(library, events)
