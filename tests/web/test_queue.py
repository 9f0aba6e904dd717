"""A job that ends its worker again and again is given up, and says which file it was."""

import asyncio
import uuid

import pytest
from sqlalchemy import text

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
        ).scalar_one()
    assert status == ("failed" if state == "failed" else "todo")
