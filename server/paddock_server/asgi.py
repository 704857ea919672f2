"""The ASGI application: HTTP through Django, the browser's feed through Channels, the agents' link bare."""

from __future__ import annotations

import asyncio
import os
from typing import Any

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "paddock_server.settings")
django.setup()

from channels.auth import AuthMiddlewareStack  # noqa: E402
from channels.routing import ProtocolTypeRouter, URLRouter  # noqa: E402
from django.conf import settings  # noqa: E402
from django.urls import path, re_path  # noqa: E402

from . import __version__  # noqa: E402
from .chores.loop import chore_loop  # noqa: E402
from .front.bodies import Bodies  # noqa: E402
from .front.headers import Headers  # noqa: E402
from .front.health_answer import HealthAnswer  # noqa: E402
from .front.one_crossing import OneCrossing  # noqa: E402
from .front.origin import OwnOrigin, no_such_socket  # noqa: E402
from .front.request_ids import RequestIds  # noqa: E402
from .front.static_files import StaticFiles  # noqa: E402
from .front.sub_path import SubPath  # noqa: E402
from .front.traced import Traced  # noqa: E402
from .health.loops import findings_loop, readings_loop  # noqa: E402
from .housekeeping.loop import backup_loop, storage_loop  # noqa: E402
from .link.agents import agent_link  # noqa: E402
from .link.feed import FeedConsumer  # noqa: E402
from .link.leases import resume_after_start  # noqa: E402
from .link.lost_detection import lost_detection_loop  # noqa: E402
from .link.watch_lane import with_short_way  # noqa: E402
from .logbook.syslog import syslog_loop  # noqa: E402
from .maintenance.loop import maintenance_loop  # noqa: E402
from .notifications.deliveries import delivery_loop  # noqa: E402
from .people.loop import people_loop  # noqa: E402
from .planning.loop import planning_loop  # noqa: E402
from .process import event_loop  # noqa: E402
from .process.pulse import pulse_loop  # noqa: E402
from .process.sd_notify import notify, watchdog_loop  # noqa: E402
from .process.state import State, begin  # noqa: E402
from .process.tracing import start_tracing, stop_tracing  # noqa: E402
from .retention.loop import expiry_loop  # noqa: E402
from .rollout.loop import rollout_loop  # noqa: E402
from .runs.loop import packing_loop  # noqa: E402
from .standby.loop import standby_loop  # noqa: E402
from .standby.measuring import measuring_loop  # noqa: E402
from .storage import start_writer, stop_writer  # noqa: E402
from .time_line.loop import time_line_loop  # noqa: E402
from .work import open_work  # noqa: E402
from .work.dispatcher import dispatch_loop  # noqa: E402

_feed = OwnOrigin(AuthMiddlewareStack(FeedConsumer.as_asgi()))


def _socket(application: object) -> Any:
    """What channels routes to is an ASGI application, which Django's types do not know."""
    return application


_router = SubPath(
    ProtocolTypeRouter(
        {
            "http": RequestIds(Traced(Headers(HealthAnswer(StaticFiles(Bodies(with_short_way(OneCrossing()))))))),
            "websocket": URLRouter(
                [
                    path("agent/v1/link", _socket(agent_link)),
                    path("api/v1/feed/", _socket(_feed)),
                    re_path(r"^", _socket(no_such_socket)),
                ]
            ),
        }
    ),
    settings.SUB_PATH,
)


async def _lifespan(receive: Any, send: Any) -> None:
    """Starts the dispatcher, the leases and the keepers with the server, and ends them with it."""
    await receive()
    begin(State())
    start_tracing(__version__)
    event_loop.server().loop = asyncio.get_running_loop()
    start_writer()
    open_work.begin()
    keeping = [
        asyncio.create_task(work)
        for work in (
            dispatch_loop(),
            lost_detection_loop(),
            readings_loop(),
            findings_loop(),
            delivery_loop(),
            chore_loop(),
            rollout_loop(),
            standby_loop(),
            measuring_loop(),
            planning_loop(),
            maintenance_loop(),
            packing_loop(),
            expiry_loop(),
            backup_loop(),
            storage_loop(),
            time_line_loop(),
            people_loop(),
            syslog_loop(),
            watchdog_loop(),
            pulse_loop(),
        )
    ]
    await resume_after_start()
    await send({"type": "lifespan.startup.complete"})
    notify("READY=1")
    await receive()
    notify("STOPPING=1")
    event_loop.server().stopping = True
    for task in keeping:
        task.cancel()
    await asyncio.gather(*keeping, return_exceptions=True)
    await asyncio.to_thread(stop_writer)
    await asyncio.to_thread(stop_tracing)
    await send({"type": "lifespan.shutdown.complete"})


async def application(scope: Any, receive: Any, send: Any) -> None:
    """What Uvicorn serves."""
    if scope["type"] == "lifespan":
        await _lifespan(receive, send)
    else:
        await _router(scope, receive, send)
