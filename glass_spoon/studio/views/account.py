"""Signing up."""

from __future__ import annotations

from django.conf import settings
from django.contrib.auth import login
from django.contrib.auth.forms import UserCreationForm
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render


def sign_up(request: HttpRequest) -> HttpResponse:
    """Show the form, or make the account and sign in; 404 when sign-up is closed."""
    if not settings.SIGN_UP_OPEN:
        raise Http404
    form = UserCreationForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        login(request, form.save())
        return redirect("projects")
    return render(request, "account/sign_up.html", {"form": form}, status=422 if form.errors else 200)
