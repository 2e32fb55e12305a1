"""Doors: the API, sign-in, figures for Prometheus, and the page for everything else."""

from django.urls import include, path, re_path

from .api import api
from .keeping.metrics import metrics
from .notices.feeds import atom
from .notices.views import stop
from .public import views as public
from .web import page

handler500 = "convoy_site.web.server_error"

urlpatterns = [
    path("api/", api.urls),
    path("accounts/", include("allauth.urls")),
    path("metrics", metrics),
    path("news/feed/<str:secret>.atom", atom),
    path("news/stop/<str:token>", stop),
    path("p/<slug:address>", public.page),
    path("p/<slug:address>/pack.zip", public.as_file),
    path("p/<slug:address>/changes", public.changes),
    path("p/<slug:address>/picture.png", public.picture),
    path("p/<slug:address>/code.svg", public.code_picture),
    path("p/<slug:address>/mods/<str:slug>.webp", public.mod_picture),
    path("_allauth/", include("allauth.headless.urls")),
    re_path(r"^(?!api/|_allauth/|accounts/|assets/|agent/|metrics).*$", page),
]
