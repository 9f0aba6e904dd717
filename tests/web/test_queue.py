"""A job that ends its worker again and again is given up, and says which file it was."""

import asyncio
import uuid

import pytest
from procrastinate.exceptions import JobAborted
from sqlalchemy import text

from steady_tally.jobs.progress import reported
from steady_tally.jobs.queue import _again_or_given_up, make_queue


@pytest.mark.parametrize(("attempts", "state"), [(1, "waiting"), (2, "waiting"), (3, "failed")])
def test_a_job_is_tried_three_times(client, engine, study, attempts, state):
    upload = str(uuid.uuid4())
    assert client.put(f"/api/studies/{study}/uploads/{upload}/a.csv", data=b"a\n1\n").status_code == 201
    body = {"upload_id": upload, "name": "killer", "role": "table"}
    job = client.post(f"/api/studies/{study}/imports", json=body).get_json()
    with engine.begin() as connection:
        connection.execute(
            text("UPDATE procrastinate_jobs SET status = 'doing', attempts = :n WHERE args->>'job_id' = :id"),
            {"n": attempts, "id": job["id"]},
        )

    async def look() -> None:
        async with make_queue().open_async() as app:
            (found,) = [j for j in await app.job_manager.list_jobs_async() if j.task_kwargs.get("job_id") == job["id"]]
            await _again_or_given_up(app, found)

    asyncio.run(look())
    told = client.get(f"/api/jobs/{job['id']}").get_json()
    assert told["state"] == state
    assert (state != "failed") or "3 times, and is given up. The file is that of “killer”." in told["says"]
    with engine.connect() as connection:
        status = connection.execute(
            text("SELECT status FROM procrastinate_jobs WHERE args->>'job_id' = :id"), {"id": job["id"]}
        ).scalar_one_or_none()
    assert status == (None if state == "failed" else "todo"), "what is given up leaves the queue"


def test_a_job_that_is_being_done_or_has_ended_is_not_done_again(client, engine, study):
    upload = str(uuid.uuid4())
    assert client.put(f"/api/studies/{study}/uploads/{upload}/a.csv", data=b"a\n1\n").status_code == 201
    body = {"upload_id": upload, "name": "once", "role": "table"}
    job = uuid.UUID(client.post(f"/api/studies/{study}/imports", json=body).get_json()["id"])

    async def look() -> None:
        """As the housekeeping does after the machine has slept: the own heartbeat is old."""
        async with make_queue().open_async() as app:
            for found in await app.job_manager.list_jobs_async():
                if found.task_kwargs.get("job_id") == str(job):
                    await _again_or_given_up(app, found)

    def status() -> str:
        with engine.connect() as connection:
            return connection.execute(
                text("SELECT status::text FROM procrastinate_jobs WHERE args->>'job_id' = :id"), {"id": str(job)}
            ).scalar_one()

    with engine.begin() as connection:
        connection.execute(
            text("UPDATE procrastinate_jobs SET status = 'doing', attempts = 3 WHERE args->>'job_id' = :id"),
            {"id": str(job)},
        )
    with reported(engine, job, lambda: False):
        asyncio.run(look())
        assert status() == "doing"
        with pytest.raises(JobAborted), reported(engine, job, lambda: False):
            raise AssertionError("it is done twice")
    assert client.get(f"/api/jobs/{job}").get_json()["state"] == "done"
    with pytest.raises(JobAborted), reported(engine, job, lambda: False):
        raise AssertionError("it is done again")
    asyncio.run(look())
    assert client.get(f"/api/jobs/{job}").get_json()["state"] == "done", "an ended job stays ended"
