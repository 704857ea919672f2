"""All addresses."""

from django.urls import include, path, re_path

from . import web
from .board.pipeline_views import HookView
from .bring_up import install_views as install
from .bring_up.agent_views import AskView, KnownView, ReportView
from .health.agent_views import WatchKeyView, WatchView
from .health.metrics import MetricsView
from .hosts.join_view import JoinView, KeyView, LeaveView
from .maintenance.views import maintenance_calendar
from .rest import problems
from .rollout.agent_views import UpgradeView, UpgradeWishView
from .runs.agent_views import OutputPieceView
from .sign_on.views import begin_sign_on, return_from_provider

handler400 = "paddock_server.rest.problems.bad_request"
handler500 = "paddock_server.rest.problems.failed"

urlpatterns = [
    path("api/v1/", include("paddock_server.api.urls")),
    path("agent/v1/join", JoinView.as_view()),
    path("agent/v1/leave", LeaveView.as_view()),
    path("agent/v1/key", KeyView.as_view()),
    path("agent/v1/bring-up", ReportView.as_view()),
    path("agent/v1/bring-up/known", KnownView.as_view()),
    path("agent/v1/outputs/<str:attempt>/<int:number>", OutputPieceView.as_view()),
    path("agent/v1/ask", AskView.as_view()),
    path("agent/v1/watch-key", WatchKeyView.as_view()),
    path("agent/v1/upgrade", UpgradeView.as_view()),
    path("agent/v1/upgrade/ask", UpgradeWishView.as_view()),
    path("agent/v1/watch", WatchView.as_view()),
    path("hooks/v1/sources/<int:pk>/", HookView.as_view()),
    path("maintenance/<str:secret>.ics", maintenance_calendar),
    path("sign-on/<int:pk>/begin", begin_sign_on),
    path("sign-on/return", return_from_provider, name="sign-on-return"),
    path("metrics", MetricsView.as_view()),
    re_path(r"^install/(?P<file>paddock\.(?:sh|ps1))$", install.script),
    path("install/simple/", install.projects),
    path("install/simple/<str:name>/", install.project),
    path("install/files/<str:name>", install.file),
    re_path(r"^(api|agent|install|static|healthz|readyz|livez|metrics|hooks|sign-on)(/|$)", problems.not_found),
    re_path(r"^", web.page),
]
