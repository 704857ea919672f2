"""The addresses of the API."""

from django.urls import path, re_path
from drf_spectacular.views import SpectacularAPIView, SpectacularRedocView

from ..access import own_views as own
from ..access import people_views as people
from ..access import views as access
from ..board import board_view, fit_view
from ..board import job_views as work
from ..board import pipeline_views as pipelines
from ..board import run_views as runs
from ..bring_up import views as bring_up
from ..chores import views as chores
from ..health import views as health
from ..maintenance import views as maintenance
from ..notifications import views as notifications
from ..people.views import SecondFactorView
from ..pipeline_secrets import views as secrets
from ..planning import views as planning
from ..rollout import views as rollout
from ..server_page import views as server
from ..sign_on import views as sign_on
from ..standby import views as standby
from ..tool_reports import views as toolchains
from ..toolchains import catalogue_views as catalogue
from ..yard import views as hosts
from .logbook_view import LogbookView

HOST = "hosts/<str:name>/"
FINDING = "findings/<int:pk>/"
SHEET = "bring-ups/<int:pk>/"
CHORE_RUN = "chore-runs/<int:pk>/"
REHEARSAL = "rehearsals/<int:pk>/"
ROLLOUT = "rollouts/<int:pk>/"
ATTEMPT = "jobs/<int:pk>/attempts/<int:number>/"
KIT = "kits/<str:name>/"
PERSON = "people/<str:name>/"
PROVIDER = "sign-on-providers/<int:pk>/"
TOOL = "catalogue/<str:name>/"

urlpatterns = [
    path("schema/", SpectacularAPIView.as_view(), name="schema"),
    path("docs/", SpectacularRedocView.as_view(url_name="schema")),
    path("session/", sign_on.SessionAndProviderView.as_view()),
    path("session/second-factor/", SecondFactorView.as_view()),
    path("sign-on/", sign_on.SignOnView.as_view()),
    path("sign-on-providers/", sign_on.ProvidersView.as_view()),
    path(PROVIDER, sign_on.ProviderView.as_view()),
    path(PROVIDER + "check/", sign_on.CheckProviderView.as_view()),
    path(PROVIDER + "mapping/", sign_on.MappingView.as_view()),
    path(PROVIDER + "mapping/preview/", sign_on.PreviewMappingView.as_view()),
    path("links/open/", people.OpenLinkView.as_view()),
    path("links/accept/", people.AcceptLinkView.as_view()),
    path("plan/use/", planning.PlanUseView.as_view()),
    path("plan/use.csv", planning.PlanUseFileView.as_view()),
    path("plan/kinds/", planning.PlanKindsView.as_view()),
    path("plan/outlook/", planning.OutlookView.as_view()),
    path("plan/costs/", planning.PlanCostsView.as_view()),
    path("plan/costs/<int:pk>/", planning.PlanCostView.as_view()),
    path("plan/settings/", planning.PlanSettingsView.as_view()),
    path("rehearsals/", planning.RehearsalsView.as_view()),
    path(REHEARSAL, planning.RehearsalView.as_view()),
    path(REHEARSAL + "cancel/", planning.CancelRehearsalView.as_view()),
    path(HOST + "use/", planning.HostUseView.as_view()),
    path("people/", people.PeopleView.as_view()),
    path("people-review/", people.PeopleReviewView.as_view()),
    path(PERSON, people.PersonView.as_view()),
    path(PERSON + "role/", people.PersonRoleView.as_view()),
    path(PERSON + "disable/", people.DisablePersonView.as_view()),
    path(PERSON + "enable/", people.EnablePersonView.as_view()),
    path(PERSON + "reset/", people.ResetPersonView.as_view()),
    path("service-accounts/", people.ServiceAccountsView.as_view()),
    path("tokens/", own.TokensView.as_view()),
    path("tokens/<int:pk>/revoke/", own.RevokeTokenView.as_view()),
    path("server/", server.ServerView.as_view()),
    path("server/backup/", server.BackupView.as_view()),
    path("server/retention/", server.RetentionView.as_view()),
    path("server/retention/preview/", server.RetentionPreviewView.as_view()),
    path("me/", own.OwnView.as_view()),
    path("me/password/", own.OwnPasswordView.as_view()),
    path("me/sessions/", own.OwnSessionsView.as_view()),
    path("me/sessions/<str:key>/", own.OwnSessionView.as_view()),
    path("me/passkeys/", own.PasskeysView.as_view()),
    path("me/passkeys/options/", own.PasskeyOptionsView.as_view()),
    path("me/passkeys/<int:pk>/", own.PasskeyView.as_view()),
    path("me/recovery-codes/", own.RecoveryCodesView.as_view()),
    path("access-requests/", access.AccessRequestsView.as_view()),
    path("access-requests/<int:pk>/grant/", access.GrantAccessView.as_view()),
    path("access-requests/<int:pk>/decline/", access.DeclineAccessView.as_view()),
    path("bring-up-choices/", bring_up.ChoicesView.as_view()),
    path("bring-ups/", bring_up.BringUpsView.as_view()),
    path("bring-ups/planned/", bring_up.PlanView.as_view()),
    path(SHEET, bring_up.BringUpView.as_view()),
    path(SHEET + "renew/", bring_up.RenewView.as_view()),
    path(SHEET + "give-up/", bring_up.GiveUpView.as_view()),
    path(SHEET + "prove/", bring_up.ProveView.as_view()),
    path(SHEET + "ssh/look/", bring_up.SshLookView.as_view()),
    path(SHEET + "ssh/go-in/", bring_up.SshGoInView.as_view()),
    path(SHEET + "ssh/forget/", bring_up.SshForgetView.as_view()),
    path("guessing/", hosts.GuessingView.as_view()),
    path("yard/", hosts.YardView.as_view()),
    path("paddocks/", hosts.PaddocksView.as_view()),
    path("paddocks/<str:name>/", hosts.PaddockView.as_view()),
    re_path(r"^paddocks/(?P<name>[^/]+)/(?P<verb>hold|drain|resume)/$", hosts.HoldPaddockView.as_view()),
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
    path(HOST + "work/", runs.HostWorkView.as_view()),
    path(HOST + "retire/", hosts.RetireView.as_view()),
    path(HOST + "undo-retirement/", hosts.UndoRetirementView.as_view()),
    path(HOST + "restart/", hosts.RestartView.as_view()),
    path(HOST + "folders/", runs.FoldersView.as_view()),
    path(HOST + "survey/", hosts.SurveyView.as_view()),
    path(HOST + "examination/", health.ExaminationView.as_view()),
    path(HOST + "power/", standby.HostPowerView.as_view()),
    path(HOST + "wake/", standby.WakeView.as_view()),
    path(HOST + "power-down/", standby.PowerDownView.as_view()),
    path(HOST + "count-again/", standby.CountAgainView.as_view()),
    path(HOST + "switch-off/", standby.SwitchOffView.as_view()),
    path(HOST + "week/", health.WeekView.as_view()),
    path(HOST + "readings/", health.ReadingsView.as_view()),
    path(HOST + "service/", health.ServiceView.as_view()),
    path("findings/", health.FindingsView.as_view()),
    path(FINDING, health.FindingView.as_view()),
    path(FINDING + "acknowledge/", health.AcknowledgeView.as_view()),
    path(FINDING + "snooze/", health.SnoozeView.as_view()),
    path(FINDING + "reopen/", health.ReopenView.as_view()),
    path(FINDING + "act/", health.ActView.as_view()),
    path("watch/", health.WatchPlaceView.as_view()),
    path("notification-rules/", notifications.NotificationRulesView.as_view()),
    path("notification-rules/<int:pk>/", notifications.NotificationRuleView.as_view()),
    path("notification-rules/<int:pk>/try-out/", notifications.TryOutView.as_view()),
    path("deliveries/<int:pk>/send-again/", notifications.SendAgainView.as_view()),
    path("jobs/", work.JobsView.as_view()),
    path("jobs/<int:pk>/", work.JobView.as_view()),
    path("jobs/<int:pk>/cancel/", work.CancelView.as_view()),
    path("jobs/<int:pk>/log/", runs.LogView.as_view()),
    path("jobs/<int:pk>/run-again/", runs.RunAgainView.as_view()),
    path(ATTEMPT, runs.AttemptView.as_view()),
    path(ATTEMPT + "lines/", runs.LogLinesView.as_view()),
    path(ATTEMPT + "find/", runs.LogFindView.as_view()),
    path(ATTEMPT + "outputs/<int:file>/", runs.OutputView.as_view()),
    path(ATTEMPT + "give-up/", runs.GiveUpView.as_view()),
    path(ATTEMPT + "proof/", runs.ProofView.as_view()),
    path("compare-runs/", runs.CompareRunsView.as_view()),
    path("maintenance-windows/", maintenance.WindowsView.as_view()),
    path("maintenance-windows/<int:pk>/", maintenance.WindowView.as_view()),
    path("maintenance-times/", maintenance.TimesView.as_view()),
    path("maintenance-calendar/", maintenance.CalendarView.as_view()),
    path("maintenance-feed/", maintenance.AddressView.as_view()),
    path("chores/", chores.ChoresView.as_view()),
    path("chores/<int:pk>/", chores.ChoreView.as_view()),
    path("chores/<int:pk>/start/", chores.StartChoreView.as_view()),
    path("chosen-hosts/", chores.ChosenView.as_view()),
    path("chore-runs/", chores.ChoreRunsView.as_view()),
    path(CHORE_RUN, chores.ChoreRunView.as_view()),
    path(CHORE_RUN + "approve/", chores.ApproveView.as_view()),
    path(CHORE_RUN + "stop/", chores.StopRunView.as_view()),
    path("versions/", rollout.VersionsView.as_view()),
    path("rollout-plans/", rollout.PlanRolloutView.as_view()),
    path("standby/", standby.StandbyView.as_view()),
    path("standby/wake/", standby.WakeForSurveyView.as_view()),
    path("standby-policies/", standby.StandbyPoliciesView.as_view()),
    path("standby-policies/<int:pk>/", standby.StandbyPolicyView.as_view()),
    path("rollouts/", rollout.RolloutsView.as_view()),
    path(ROLLOUT, rollout.RolloutView.as_view()),
    path(ROLLOUT + "approve/", rollout.ApproveRolloutView.as_view()),
    path(ROLLOUT + "pause/", rollout.PauseRolloutView.as_view()),
    path(ROLLOUT + "resume/", rollout.ResumeRolloutView.as_view()),
    path(ROLLOUT + "stop/", rollout.StopRolloutView.as_view()),
    path(ROLLOUT + "go-back/", rollout.GoBackView.as_view()),
    path("secrets/", secrets.SecretsView.as_view()),
    path("secrets/<str:name>/", secrets.SecretView.as_view()),
    path("jobs/<int:pk>/fit/", fit_view.JobFitView.as_view()),
    path("jobs/<int:pk>/let-in/", board_view.LetInView.as_view()),
    path("fit/", fit_view.FitView.as_view()),
    path("words/", fit_view.WordsView.as_view()),
    path("board/", board_view.BoardView.as_view()),
    path("remedies/", board_view.RemedyView.as_view()),
    path("lint/", pipelines.LintView.as_view()),
    path("submissions/", pipelines.SubmissionsView.as_view()),
    path("submissions/<int:pk>/", pipelines.SubmissionView.as_view()),
    path("sources/", pipelines.SourcesView.as_view()),
    path("sources/<int:pk>/", pipelines.SourceView.as_view()),
    path("sources/<int:pk>/secret/", pipelines.SourceSecretView.as_view()),
    path("sources/<int:pk>/submit/", pipelines.SubmitSourceView.as_view()),
    path("pipelines/", pipelines.PipelinesView.as_view()),
    path("pipelines/<path:name>/", pipelines.PipelineView.as_view()),
    path("toolchains/", toolchains.ColumnsView.as_view()),
    path("toolchains/within/", toolchains.WithinView.as_view()),
    path("toolchains/compare/", toolchains.CompareView.as_view()),
    path("toolchains/inventory/", toolchains.InventoryView.as_view()),
    path("tools/<str:name>/", toolchains.ToolView.as_view()),
    path(HOST + "history/", toolchains.HistoryView.as_view()),
    path(HOST + "history/accept/", toolchains.AcceptView.as_view()),
    path("kits/", toolchains.KitsView.as_view()),
    path("kits-tried/", toolchains.KitTrialView.as_view()),
    path("kits-proposed/", toolchains.ProposalView.as_view()),
    path(KIT, toolchains.KitView.as_view()),
    path(KIT + "standings/", toolchains.KitStandingsView.as_view()),
    path("catalogue/", catalogue.CatalogueView.as_view()),
    path(TOOL, catalogue.DefinitionView.as_view()),
    path(TOOL + "<int:number>/release/", catalogue.ReleaseView.as_view()),
    path(TOOL + "<int:number>/try/", catalogue.TryView.as_view()),
    path("logbook/", LogbookView.as_view()),
]
