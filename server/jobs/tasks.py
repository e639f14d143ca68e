"""Care for the queue: take up again what a killed worker left, and sweep old uploads."""

from asgiref.sync import sync_to_async
from procrastinate import JobContext
from procrastinate.contrib.django import app

STALLED_AFTER_S = 8


@app.periodic(cron="* * * * * */5")
@app.task(queue="care", name="retry_stalled", queueing_lock="retry_stalled", pass_context=True)
async def retry_stalled(context: JobContext, timestamp: int) -> None:
    """Put jobs whose worker has stopped its heartbeat back into the queue."""
    manager = context.app.job_manager
    for job in await manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_AFTER_S):
        await manager.retry_job(job)


@app.periodic(cron="* * * * * */7")
@app.task(queue="care", name="take_up_orphans", queueing_lock="take_up_orphans")
async def take_up_orphans(timestamp: int) -> None:
    """Queue rows that are shown as open and that no job works for any more."""
    from server.jobs.orphans import take_up

    await sync_to_async(take_up)()


@app.periodic(cron="17 * * * *")
@app.task(queue="care", name="sweep", queueing_lock="sweep")
async def sweep(timestamp: int) -> None:
    from server.clips.services import sweep_uploads
    from server.thread.collect import collect

    await sync_to_async(sweep_uploads)()
    await sync_to_async(collect)()
