"""The entrance from the network: certificate, addresses, key; what it refuses."""

from __future__ import annotations

import hashlib
import ssl
from datetime import UTC, datetime, timedelta
from pathlib import Path

import httpx
import pytest
import segno
from cryptography import x509
from websockets.exceptions import InvalidStatus
from websockets.sync.client import connect

from tests.conftest import until
from tests.served import Served
from tickstone import cli
from tickstone.actions import guests as guests_module
from tickstone.actions.guests import Entrance, Guests
from tickstone.errors import Forbidden, NotFound
from tickstone.launch import network
from tickstone.launch.serve import announce_entrance


def test_the_certificate_covers_every_address_and_is_kept_while_it_does(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    held, secret, fingerprint = network.certificate(tmp_path)
    known = x509.load_pem_x509_certificate(held.read_bytes())
    names = known.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    assert {"localhost", *network.names()} <= set(names.get_values_for_type(x509.DNSName))
    numbers = {str(number) for number in names.get_values_for_type(x509.IPAddress)}
    assert {"127.0.0.1", *network.addresses()} <= numbers
    assert known.not_valid_after_utc - datetime.now(UTC) < timedelta(days=398)
    assert secret.stat().st_mode & 0o777 == 0o600
    # RFC 7468: what a browser shows is the digest of the bytes within
    der = ssl.PEM_cert_to_DER_cert(held.read_text())
    assert fingerprint.replace(":", "") == hashlib.sha256(der).hexdigest().upper()

    assert network.certificate(tmp_path)[2] == fingerprint
    monkeypatch.setattr(network, "addresses", lambda: ["192.0.2.77"])  # moved to another network
    assert network.certificate(tmp_path)[2] != fingerprint
    monkeypatch.setattr(network, "RENEWED_BEFORE", timedelta(days=400))  # it is old
    assert network.certificate(tmp_path)[2] != network.certificate(tmp_path)[2]
    held.write_text("nothing")
    network.certificate(tmp_path)


def test_guests_are_kept_and_found_again_and_wrong_keys_are_counted(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "data" / "guests.json"
    guests = Guests(file)
    key = guests.key
    token = guests.let_in(key.lower(), "192.0.2.7", phone=True)
    assert token not in file.read_text()
    assert file.stat().st_mode & 0o777 == 0o600
    again = Guests(file)
    assert again.key == key
    found = again.find(token)
    assert found is not None
    assert (found.address, found.phone, found.id) == ("192.0.2.7", True, 1)
    assert again.find("") is again.find(token[:-1]) is None
    again.renew_key()
    with pytest.raises(Forbidden):
        again.let_in(key, "192.0.2.8", phone=False)
    assert again.find(token) is not None
    again.shut_out(1)
    with pytest.raises(NotFound):
        again.shut_out(1)
    assert Guests(file).find(token) is None

    for _ in range(guests_module.MOST_TRIES):
        with pytest.raises(Forbidden):
            again.let_in("0000", "192.0.2.9", phone=False)
    with pytest.raises(Forbidden, match="Too many"):
        again.let_in(again.key, "192.0.2.9", phone=False)
    monkeypatch.setattr(guests_module, "TRIES_S", 0.0)  # a minute later
    again.let_in(again.key, "192.0.2.9", phone=False)
    monkeypatch.setattr(guests_module, "MOST_GUESTS", 3)
    for _ in range(5):
        again.let_in(again.key, "192.0.2.10", phone=False)
    assert [guest.id for guest in again.all()] == [6, 5, 4]
    file.write_text("{")
    assert Guests(file).all() == []


@pytest.mark.parametrize("address", ["0.0.0.0", "::", "192.0.2.1", "some.example"])
def test_listening_for_others_without_a_key_is_refused(
    address: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert cli.main(["serve", "--listen", address]) == 2
    assert "--lan lets them in with an access key" in capsys.readouterr().err


@pytest.mark.server
def test_from_the_network_nothing_is_seen_without_the_key(open_house: Served) -> None:
    access = open_house.client.get("/api/access").json()
    port = int(access["addresses"][0].rpartition(":")[2])
    trusted = ssl.create_default_context(cafile=open_house.folder / "demo" / "lan" / "certificate.pem")
    hosts = ["localhost", *network.addresses()[:1], network.names()[1]]
    outside = f"https://localhost:{port}"
    with httpx.Client(base_url=outside, verify=trusted) as client:  # the certificate holds
        assert client.get("/").status_code == 200  # the page that asks for the key
        for path in (
            "/api/rigs",
            "/api/health",
            "/api/openapi.json",
            "/api/access",
            "/api/recordings/1/export",
        ):
            refusal = client.get(path)
            assert (refusal.status_code, refusal.json()["code"]) == (401, "no-key")
        assert client.post("/api/rigs", json={}).status_code == 401
        with (
            pytest.raises(InvalidStatus),
            connect(f"wss://localhost:{port}/api/rigs/fern/live", ssl=trusted, origin=outside),
        ):
            pass
        for host in hosts:
            assert client.get("/", headers={"Host": f"{host}:{port}"}).status_code == 200
        assert client.get("/", headers={"Host": f"a.example:{port}"}).status_code == 403
        entered = client.post("/api/access/enter", json={"key": access["key"]}).raise_for_status()
        cookie = entered.headers["set-cookie"].lower()
        assert all(word in cookie for word in ("httponly", "secure", "samesite=lax"))
        assert len(client.get("/api/rigs").json()) == 3
        assert client.get("/api/access").status_code == 403  # who is let in is the machine's own business
        assert client.post("/api/access/key").status_code == 403
        assert client.post("/api/sources/ports", json={"path": "/dev/ttyS9"}).status_code == 403
        foreign = {"Origin": f"http://localhost:{port}"}
        assert client.post("/api/rigs", json={}, headers=foreign).status_code == 403
        header = {"Cookie": "; ".join(f"{name}={value}" for name, value in client.cookies.items())}
        with connect(
            f"wss://localhost:{port}/api/rigs/fern/live",
            ssl=trusted,
            origin=outside,
            additional_headers=header,
        ) as window:
            window.recv(timeout=20)
            guest = open_house.client.get("/api/access").json()["guests"][0]
            open_house.client.delete(f"/api/access/guests/{guest['id']}").raise_for_status()
            open_house.client.post("/api/rigs/fern/connect", json={"kind": "stand-in"}).raise_for_status()
            until(lambda: closed(window))
            assert window.close_code == 4401
        assert client.get("/api/rigs").status_code == 401
    said = (open_house.folder / "said.txt").read_text()
    assert access["fingerprint"] in said
    assert access["key"] not in said  # no terminal: a log is no place for it


def closed(window) -> bool:
    try:
        window.recv(timeout=0.1)
    except TimeoutError:
        return False
    except Exception:
        return True
    return False


def test_in_a_terminal_the_key_is_shown_with_its_code(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    guests = Guests(tmp_path / "guests.json")
    entrance = Entrance(lambda: ["https://192.0.2.7:8460", "https://cart.local:8460"], "AA:BB")
    monkeypatch.setattr("sys.stdout.isatty", lambda: True, raising=False)
    announce_entrance(entrance, guests)
    said = capsys.readouterr().out
    assert all(part in said for part in (*entrance.addresses(), "AA:BB", guests.key))
    modules = segno.make(f"https://192.0.2.7:8460/enter?key={guests.key}", error="m", micro=False)
    drawn = [line for line in said.splitlines() if "\u2584" in line or "\u2588" in line]
    assert len(drawn) >= modules.symbol_size(border=0)[1] // 2  # two rows of modules a line
