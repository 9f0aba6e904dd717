"""Who takes the database's port while it is gone is told nothing, and not believed."""

import socket
import struct
import threading

import psycopg
import pytest

from steady_tally.store.database import connect

CLEAR, MD5, SASL, OK = 3, 5, 10, 0


def told(ask: bytes, attempt) -> bytes:
    """All that somebody says who tries to connect to a server that greets with `ask`."""
    heard = bytearray()
    with socket.create_server(("127.0.0.1", 0)) as listener:

        def listen():
            connection, _ = listener.accept()
            with connection:
                connection.settimeout(10)
                while True:
                    data = connection.recv(4_096)
                    if not data:
                        return
                    heard.extend(data)
                    # The first word after the length: a wish for encryption, which is refused, or the beginning.
                    connection.sendall(b"N" if data[4:8] == struct.pack("!HH", 1234, 5679) else ask)

        thread = threading.Thread(target=listen, daemon=True)
        thread.start()
        with pytest.raises(Exception, match=r"require|authentication|SCRAM|closed"):
            attempt(listener.getsockname()[1])
        thread.join(10)
    return bytes(heard)


def message(kind: int, more: bytes = b"") -> bytes:
    return b"R" + struct.pack("!II", 8 + len(more), kind) + more


ASKS = {
    "in plain": message(CLEAR),
    "as a digest": message(MD5, b"salt"),
    "not at all": message(OK) + b"Z" + struct.pack("!I", 5) + b"I",
    "as by the rules": message(SASL, b"SCRAM-SHA-256\0\0"),
}


@pytest.mark.parametrize("ask", list(ASKS))
def test_an_impostor_learns_no_password_and_is_no_database(cluster, ask):
    password = psycopg.conninfo.conninfo_to_dict(cluster.address)["password"]

    def attempt(port):
        address = cluster.address.replace(cluster.address.rsplit(":", 1)[1].split("/")[0], str(port), 1)
        engine = connect(address)
        try:
            engine.connect()
        finally:
            engine.dispose()

    heard = told(ASKS[ask], attempt)
    assert heard
    assert password.encode() not in heard
    assert b"md5" not in heard
