"""The address schedule: names that are host names, tables that are no formulas, reservations only for who is known."""

import csv
import io
import ipaddress
import re

from hypothesis import given
from hypothesis import strategies as st

from netloom_core.addressing.schedule import COLUMNS, Place, as_csv, as_dhcpd, as_dnsmasq, as_hosts, host_names
from netloom_core.addressing.table import Row, stays_in_the_way

GATE = Place("Gate box", "Net", "192.0.2.11", ip=True, mac="02:00:00:00:00:0b", area="Quay")
CAFE = Place("Café box", "Net", "192.0.2.12", ip=True)
READER = Place("Reader 1", "Doors bus", "5", serial="DW-1")
BEHIND = Place("Wash 1", "Net", "192.0.2.20#7ff200000601", ip=True)


def test_hosts_are_those_with_an_address_of_their_own() -> None:
    assert as_hosts([GATE, CAFE, READER, BEHIND]).splitlines()[1:] == [
        "192.0.2.11\tgate-box\t# Gate box",
        "192.0.2.12\tcafe-box\t# Café box",
    ]


def test_reservations_are_for_those_whose_mac_address_is_known() -> None:
    assert as_dnsmasq([GATE, CAFE]).splitlines()[1:] == [
        "dhcp-host=02:00:00:00:00:0b,gate-box,192.0.2.11",
        "# 192.0.2.12 Café box: its MAC address is not known",
    ]
    assert as_dhcpd([GATE]).splitlines()[1] == (
        "host gate-box { hardware ethernet 02:00:00:00:00:0b; fixed-address 192.0.2.11; }"
    )


def test_what_a_device_tells_is_not_a_line_of_a_servers_settings() -> None:
    sly = Place("Sly", "Net", "192.0.2.13", ip=True, mac="02:00:00:00:00:01; } include")
    assert "include" not in as_dhcpd([sly]) + as_dnsmasq([sly])
    lost = Place("Lost", "Net", "192.0.2.14\nevil", ip=True, mac="02:00:00:00:00:02")
    assert "evil" not in as_hosts([lost]) + as_dhcpd([lost])


def test_the_table_has_all_and_nothing_that_a_spreadsheet_reckons() -> None:
    rows = list(csv.reader(io.StringIO(as_csv([GATE, READER, Place('=SUM(A1)"', "Net", "192.0.2.9", ip=True)]))))
    assert tuple(rows[0]) == COLUMNS
    assert (rows[1][0], rows[1][1], rows[2][1], rows[2][4]) == ("Gate box", "gate-box", "", "5")
    assert rows[3][0] == "'=SUM(A1)\""


NAMES = st.lists(st.text(min_size=1, max_size=80), min_size=1, max_size=12, unique=True)


@given(NAMES)
def test_any_names_become_host_names_each_once(names: list[str]) -> None:
    found = host_names(Place(name, "Net", "192.0.2.1") for name in names)
    assert len(set(found.values())) == len(names)
    for label in found.values():
        assert re.fullmatch(r"[a-z0-9]([a-z0-9-]*[a-z0-9])?", label)
        assert len(label) <= 63


@given(NAMES)
def test_whatever_things_are_called_each_is_on_its_line(names: list[str]) -> None:
    places = [Place(n, "Net", f"192.0.2.{at + 1}", ip=True, mac="02:00:00:00:00:01") for at, n in enumerate(names)]
    for form in (as_hosts, as_dnsmasq, as_dhcpd):
        lines = form(places).split("\n")
        assert len(lines) == len(names) + 2
    addresses = [line.split("\t")[0] for line in as_hosts(places).split("\n")[1:-1]]
    assert [int(ipaddress.ip_address(one)) & 255 for one in addresses] == list(range(1, len(names) + 1))
    read = list(csv.reader(io.StringIO(as_csv(places), newline="")))
    assert [row[4] for row in read[1:]] == [place.address for place in places]


def test_a_chain_falls_with_its_last_however_long_it_is() -> None:
    places = {f"d{n}": Place(f"Box {n}", "Net", f"192.0.2.{n}", ip=True, found=f"192.0.2.{n}") for n in range(1, 200)}
    rows = [Row(n, f"Box {n}", f"d{n}", {"address": f"192.0.2.{n + 1}"}) for n in range(1, 200)]
    stays_in_the_way(rows, places)
    assert not any(row.problem for row in rows)
    rows[-1].problem = "it cannot"
    rows.append(Row(200, "Other", "other", {"address": "192.0.2.220"}))
    stays_in_the_way(rows, {**places, "other": Place("Other", "Net", "192.0.2.230", ip=True)})
    assert all(row.problem for row in rows[:-1])
    assert "is Box 2's, which does not leave it" in rows[0].problem
    assert not rows[-1].problem
