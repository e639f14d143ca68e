"""The API of version 1: one router per noun."""

from server.accounts.api import router as accounts
from server.bench.api import router as bench
from server.clips.api import router as clips
from server.compute.api import router as compute
from server.config import problems
from server.config.auth import signed_in
from server.config.examples import ExampledAPI
from server.config.proof import router as proof
from server.devices.api import router as devices
from server.find.api import router as find
from server.log.api import router as log
from server.renders.api import router as renders
from server.renders.exports_api import router as exports
from server.rigs.api import router as rigs
from server.rigs.feeds_api import router as feeds
from server.setlists.api import router as setlists
from server.shares.api import router as shares
from server.sheets.api import router as sheets
from server.snapshots.api import router as snapshots
from server.songfiles.api import router as songfiles
from server.songs.api import router as songs
from server.thread.api import router as thread
from server.tokens.api import router as tokens
from server.tokens.auth import by_token
from server.trials.api import router as trials
from server.verify.api import router as verify
from server.wishes.api import router as wishes

api = ExampledAPI(
    title="Fonodrome",
    version="1",
    description="Plan, set, listen, verify, log. Times carry their unit in the name of the field.",
    auth=[by_token, signed_in],
    docs_url=None,
    openapi_url="/openapi.json",
)
problems.install(api)
api.add_router("", accounts)
api.add_router("/compute", compute)
api.add_router("", songfiles)
api.add_router("", songs)
api.add_router("", devices)
api.add_router("", clips)
api.add_router("", verify)
api.add_router("", bench)
api.add_router("", proof)
api.add_router("", renders)
api.add_router("", exports)
api.add_router("", trials)
api.add_router("", log)
api.add_router("", find)
api.add_router("", snapshots)
api.add_router("", sheets)
api.add_router("", shares)
api.add_router("", tokens)
api.add_router("", setlists)
api.add_router("", wishes)
api.add_router("", rigs)
api.add_router("", feeds)
api.add_router("", thread)
