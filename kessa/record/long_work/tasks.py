"""What a worker does for others that died."""

from procrastinate import JobContext
from procrastinate.contrib.django import app
from procrastinate.jobs import Status

# What killed its worker so often is not begun again.
_MOST_TRIES = 5


@app.periodic(cron="* * * * *")
@app.task(name="long_work.take_up", queueing_lock="take-up", pass_context=True)
async def take_up(context: JobContext, timestamp: int) -> None:
    """Begin again what a worker had begun when it was killed: whatever waits for its lock would wait for ever.

    A worker says every ten seconds that it lives; one that said nothing for thirty does not.
    """
    jobs = context.app.job_manager
    for job in await jobs.get_stalled_jobs():
        if job.attempts < _MOST_TRIES:
            await jobs.retry_job(job)
        else:
            await jobs.finish_job(job, Status.FAILED, delete_job=False)
