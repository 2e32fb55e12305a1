"""Three doors: the API, sign-in, and the page for everything else."""

from django.urls import include, path, re_path

from .api import api
from .web import page

urlpatterns = [
    path("api/", api.urls),
    path("accounts/", include("allauth.urls")),
    path("_allauth/", include("allauth.headless.urls")),
    re_path(r"^(?!api/|_allauth/|accounts/|assets/|agent/).*$", page),
]
