"""Who takes the database's port while it is gone is told nothing, and not believed."""

import os
import socket
import struct
import threading

import psycopg
import pytest

from steady_tally.serve import postgres
from steady_tally.serve.postgres import Cluster
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


def test_the_application_is_no_owner_of_the_database_and_its_secret_opens_nothing_else(cluster):
    with psycopg.connect(cluster.address, autocommit=True) as connection:
        for forbidden in (
            "COPY (SELECT 1) TO PROGRAM 'true'",
            "COPY pg_database FROM '/etc/passwd'",
            "SELECT pg_read_file('/etc/passwd')",
            "CREATE ROLE more",
            "CREATE DATABASE more",
            "ALTER ROLE steady_application SUPERUSER",
            "SELECT * FROM pg_authid",
            "CREATE EXTENSION adminpack",
        ):
            with pytest.raises(psycopg.errors.InsufficientPrivilege):
                connection.execute(forbidden)
    for database in ("postgres", "template1"):
        with pytest.raises(psycopg.OperationalError, match="permission denied"):
            psycopg.connect(cluster.address.replace("/steady_tally?", f"/{database}?"))
    owner = cluster.address.replace("steady_application", "steady", 1)
    with pytest.raises(psycopg.OperationalError, match=r"no pg_hba\.conf entry"):
        psycopg.connect(owner)


def test_lost_secrets_a_taken_port_and_a_database_of_one_role_mend_themselves(tmp_path, monkeypatch):
    made = Cluster(tmp_path, tmp_path / "log")
    made.start()
    with made.owner("steady_tally") as connection:  # as in an installation of before
        connection.execute("CREATE TABLE kept (id serial PRIMARY KEY, state text)")
        connection.execute("CREATE TYPE kind AS ENUM ('a')")
        connection.execute("CREATE FUNCTION one() RETURNS int LANGUAGE sql AS 'SELECT 1'")
        connection.execute("INSERT INTO kept (state) VALUES ('whole')")
    made.stop()
    for kept in [tmp_path / "postgresql", *(tmp_path / "postgresql").rglob("*")]:  # as a copy by root leaves it
        os.chown(kept, os.geteuid(), os.getegid(), follow_symlinks=False)
    (tmp_path / "postgresql" / "postmaster.pid").write_bytes(b"")
    (tmp_path / "postgresql.password").unlink()
    (tmp_path / "postgresql.application").write_text("")
    with socket.create_server(("127.0.0.1", 0)) as taken:
        ports = iter([taken.getsockname()[1], postgres._free_port()])
        monkeypatch.setattr(postgres, "_free_port", lambda: next(ports))
        again = Cluster(tmp_path, tmp_path / "log")
        again.start()
    with psycopg.connect(again.address, autocommit=True) as connection:
        assert connection.execute("SELECT state FROM kept").fetchone() == ("whole",)
        connection.execute("ALTER TABLE kept ADD more int; ALTER TYPE kind ADD VALUE 'b'; DROP FUNCTION one()")
        connection.execute("INSERT INTO kept (state) VALUES ('more')")
    again.stop()
