"""Background work: starting it, watching it, stopping it."""

from __future__ import annotations

import uuid

import procrastinate
from flask import Response, current_app, send_file
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field
from sqlmodel import Session, col, select

from steady_tally.core.errors import Conflict
from steady_tally.jobs.progress import OPEN, find_job
from steady_tally.store.made import made_file
from steady_tally.store.tables import Job, JobState
from steady_tally.web.access import Right, needs
from steady_tally.web.description import file_of
from steady_tally.web.studies import answer, engine

api = APIBlueprint("jobs", __name__, url_prefix="/api", abp_tags=[Tag(name="jobs")])


class JobPath(BaseModel):
    job_id: uuid.UUID


class JobView(BaseModel):
    id: uuid.UUID
    kind: str
    state: JobState
    step: str = Field(description="What is being done now.")
    done: int
    total: int = Field(description="0 where it is not known.")
    says: str
    study_id: uuid.UUID | None
    file_name: str | None = Field(description="What it has made; it lies at the job's `file` for a day.")
    file_bytes: int


class NewDemo(BaseModel):
    events: int = Field(60_000, ge=500, le=2_000_000)


@api.get("/jobs/<uuid:job_id>", summary="How far a job is", responses={"200": JobView})
@needs(Right.READ)
def one_job(path: JobPath) -> Response:
    return answer(JobView(**find_job(engine(), path.job_id).model_dump()))


class LatestJob(BaseModel):
    job: JobView | None


@api.get("/demo", summary="The latest loading of the demo study", responses={"200": LatestJob})
@needs(Right.READ)
def demo_job() -> Response:
    found = latest_demo_job()
    return answer(LatestJob(job=JobView(**found.model_dump()) if found else None))


@api.post("/demo", summary="Load the demo study", responses={"202": JobView})
@needs(Right.CHANGE)
def start_demo(body: NewDemo) -> Response:
    return answer(JobView(**start_loading_demo(body.events).model_dump()), status=202)


@api.post("/jobs/<uuid:job_id>/cancel", summary="Stop a job", responses={"202": JobView})
@needs(Right.CHANGE, when_full=True)
def cancel(path: JobPath) -> Response:
    job = find_job(engine(), path.job_id)
    if job.state not in OPEN or job.queue_job_id is None:
        raise Conflict("this job has ended already.")
    queue().job_manager.cancel_job_by_id(job.queue_job_id, abort=True)
    if job.state == JobState.WAITING:
        with Session(engine()) as session:
            waiting = session.get_one(Job, path.job_id)
            waiting.state, waiting.says = JobState.CANCELLED, "Stopped before it began."
            session.add(waiting)
            session.commit()
    return answer(JobView(**find_job(engine(), path.job_id).model_dump()), status=202)


@api.get(
    "/jobs/<uuid:job_id>/file", summary="What a job has made", responses=file_of("application/zip", "application/pdf")
)
@needs(Right.READ)
def made(path: JobPath) -> Response:
    job = find_job(engine(), path.job_id)
    file = made_file(path.job_id, job.file_name if job.state == JobState.DONE else None)
    return send_file(file.resolve(), as_attachment=True, download_name=file.name, max_age=0)


def started(kind: str, study_id: uuid.UUID, wanted: BaseModel) -> Job:
    """Put a task on a study into the queue, in one transaction with its record."""
    with Session(engine(), expire_on_commit=False) as session:
        job = Job(kind=kind, study_id=study_id, wanted=wanted.model_dump(mode="json"))
        session.add(job)
        session.flush()
        deferrer = queue().tasks[kind].configure(connection=session.connection().connection.driver_connection)
        job.queue_job_id = deferrer.defer(job_id=str(job.id), study_id=str(study_id))
        session.commit()
    return job


def queue() -> procrastinate.App:
    """The application's queue."""
    found: procrastinate.App = current_app.extensions["steady_tally_queue"]
    return found


def start_loading_demo(events: int) -> Job:
    """Put the loading of the demo into the queue, in one transaction with its record."""
    with Session(engine(), expire_on_commit=False) as session:
        if session.exec(select(Job).where(Job.kind == "load_demo", col(Job.state).in_(OPEN))).first():
            raise Conflict("the demo is being loaded already.", todo="Wait for it.")
        job = Job(kind="load_demo")
        session.add(job)
        session.flush()
        task = queue().tasks["load_demo"]
        deferrer = task.configure(connection=session.connection().connection.driver_connection)
        job.queue_job_id = deferrer.defer(job_id=str(job.id), events=events)
        session.commit()
        return job


def latest_demo_job() -> Job | None:
    with Session(engine()) as session:
        return session.exec(select(Job).where(Job.kind == "load_demo").order_by(col(Job.created_at).desc())).first()
