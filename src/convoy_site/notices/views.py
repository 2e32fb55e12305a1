"""Pages about news for whoever has the address, signed in or not: stopping mail. The feed is in `feeds`."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.csrf import csrf_exempt
from django.views.decorators.http import require_http_methods

from . import mailing
from .models import Mailed


# What is signed in the address is the right to stop; RFC 8058 has mail programs ask without cookies.
@csrf_exempt
@require_http_methods(["GET", "HEAD", "POST"])
def stop(request: HttpRequest, token: str) -> HttpResponse:
    """Looking stops nothing: mail programs look at every address in a letter."""
    found = mailing.stopped(token)
    if found is None:
        return render(request, "stop_mail.html", {"unknown": True}, status=404)
    user, pack = found
    is_done = request.method == "POST"
    if is_done:
        mailing.wish(user, pack, Mailed.NEVER)
    return render(request, "stop_mail.html", {"pack": pack, "is_done": is_done})
