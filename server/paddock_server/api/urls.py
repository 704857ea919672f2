"""The addresses of the API."""

from django.urls import path, re_path
from drf_spectacular.views import SpectacularAPIView, SpectacularRedocView

from ..hosts import views as hosts
from ..install import views as install
from ..logbook.views import LogbookView
from ..people.views import SessionView
from ..work import fit_view
from ..work import views as work

HOST = "hosts/<str:name>/"

urlpatterns = [
    path("schema/", SpectacularAPIView.as_view(), name="schema"),
    path("docs/", SpectacularRedocView.as_view(url_name="schema")),
    path("session/", SessionView.as_view()),
    path("bring-up/", install.BringUpView.as_view()),
    path("yard/", hosts.YardView.as_view()),
    path("paddocks/", hosts.PaddocksView.as_view()),
    path("paddocks/<str:name>/", hosts.PaddockView.as_view()),
    path("passes/", hosts.PassesView.as_view()),
    path("passes/<int:pk>/revoke/", hosts.RevokePassView.as_view()),
    path("passes/<int:pk>/replace/", hosts.ReplacePassView.as_view()),
    re_path(r"^gate/(?P<verb>admit|turn-away)/$", hosts.GateView.as_view()),
    path("hosts/", hosts.HostsView.as_view()),
    path(HOST, hosts.HostView.as_view()),
    path(HOST + "admit/", hosts.AdmitView.as_view()),
    path(HOST + "turn-away/", hosts.TurnAwayView.as_view()),
    path(HOST + "hold/", hosts.HoldView.as_view()),
    path(HOST + "drain/", hosts.DrainView.as_view()),
    path(HOST + "resume/", hosts.ResumeView.as_view()),
    path(HOST + "retire/", hosts.RetireView.as_view()),
    path(HOST + "survey/", hosts.SurveyView.as_view()),
    path("jobs/", work.JobsView.as_view()),
    path("jobs/<int:pk>/", work.JobView.as_view()),
    path("jobs/<int:pk>/cancel/", work.CancelView.as_view()),
    path("jobs/<int:pk>/log/", work.LogView.as_view()),
    path("jobs/<int:pk>/fit/", fit_view.JobFitView.as_view()),
    path("fit/", fit_view.FitView.as_view()),
    path("logbook/", LogbookView.as_view()),
]
