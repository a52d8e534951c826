"""Every address of the application, app by app in the order of the work."""

from django.urls import include, path

from gumshoe.web.ui.views import health, watch_beside

urlpatterns = [
    path("health/", health, name="health"),
    path("beside/<str:key>/", watch_beside, name="beside"),
    path("", include("gumshoe.web.board.urls")),
    path("", include("gumshoe.web.finding.urls")),
    path("", include("gumshoe.web.accounts.urls")),
    path("", include("gumshoe.web.settings.urls")),
    path("", include("gumshoe.web.vehicles.urls")),
    path("", include("gumshoe.web.papers.urls")),
    path("", include("gumshoe.web.cases.urls")),
    path("", include("gumshoe.web.ledger.urls")),
    path("", include("gumshoe.web.crew.urls")),
    path("", include("gumshoe.web.scans.urls")),
    path("", include("gumshoe.web.live.urls")),
    path("", include("gumshoe.web.bench.urls")),
    path("", include("gumshoe.web.suspects.urls")),
    path("", include("gumshoe.web.verdicts.urls")),
    path("", include("gumshoe.web.proposal.urls")),
    path("", include("gumshoe.web.work.urls")),
    path("", include("gumshoe.web.clearing.urls")),
    path("", include("gumshoe.web.proofs.urls")),
    path("", include("gumshoe.web.history.urls")),
    path("", include("gumshoe.web.standing.urls")),
    path("", include("gumshoe.web.reports.urls")),
    path("", include("gumshoe.web.practice.urls")),
]
handler403 = "gumshoe.web.ui.views.forbidden"
handler400 = "gumshoe.web.ui.views.bad_request"
handler404 = "gumshoe.web.ui.views.not_found"
handler500 = "gumshoe.web.ui.views.server_error"
