"""All addresses."""

from django.urls import include, path, re_path

from . import web
from .api import problems
from .hosts.join_view import JoinView, LeaveView
from .install import views as install

handler400 = "paddock_server.api.problems.bad_request"
handler500 = "paddock_server.api.problems.failed"

urlpatterns = [
    path("healthz", web.healthz),
    path("api/v1/", include("paddock_server.api.urls")),
    path("agent/v1/join", JoinView.as_view()),
    path("agent/v1/leave", LeaveView.as_view()),
    path("install/paddock.sh", install.script),
    path("install/simple/", install.projects),
    path("install/simple/<str:name>/", install.project),
    path("install/files/<str:name>", install.file),
    re_path(r"^(api|agent|install|static)(/|$)", problems.not_found),
    re_path(r"^", web.page),
]
