"""Signing in and up, forgotten passwords, the account's page."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.contrib import messages
from django.contrib.auth import authenticate, login, logout
from django.contrib.auth import views as auth
from django.contrib.auth.decorators import login_required
from django.core.exceptions import ValidationError
from django.http import Http404, HttpRequest, HttpResponse
from django.middleware.csrf import get_token
from django.shortcuts import redirect, render
from django.urls import reverse_lazy
from django.views.decorators.http import require_http_methods, require_POST

from glass_spoon.studio.flows.accounts import close_account, projects_alone, projects_to_hand_over
from glass_spoon.studio.flows.limit_tries import count_try
from glass_spoon.studio.forms import AddressForm, SignInForm, SignUpForm, free_address
from glass_spoon.studio.sentences import Refused

LOCKED = "There were many tries to sign in with this name or from here. Wait ten minutes, or ask for a new password."
SIGN_UPS_AN_HOUR, RESETS_AN_HOUR = 20, 5


class SignIn(auth.LoginView):
    """The sign-in page."""

    template_name = "account/sign_in.html"
    authentication_form = SignInForm
    redirect_authenticated_user = True


@require_http_methods(["GET", "HEAD", "POST"])
def sign_in_slip(request: HttpRequest) -> HttpResponse:
    """Show the slip that is laid over the bench when a session ended, or sign in and say so."""
    form = SignInForm(request, request.POST if request.method == "POST" else None)
    if request.method == "POST" and form.is_valid():
        login(request, form.get_user())
        response = HttpResponse(status=204)
        response["X-CSRFToken"], response["X-User"] = get_token(request), str(request.user.pk)
        return response
    return render(request, "account/_sign_in_slip.html", {"form": form}, status=422 if form.errors else 200)


def locked_out(request: HttpRequest, response: HttpResponse | None = None, credentials: Any = None) -> HttpResponse:
    """Answer a try to sign in that is one too many."""
    slip = request.path == str(reverse_lazy("sign_in_slip"))
    template = "account/_sign_in_slip.html" if slip else "account/sign_in.html"
    return render(request, template, {"form": SignInForm(request), "locked": LOCKED}, status=429)


@require_http_methods(["GET", "HEAD", "POST"])
def sign_up(request: HttpRequest) -> HttpResponse:
    """Show the form, or make the account and sign in; 404 when sign-up is closed."""
    if not settings.SIGN_UP_OPEN:
        raise Http404
    form = SignUpForm(request.POST or None)
    if request.method == "POST":
        count_try(request, "sign up", form.data.get("username", ""), SIGN_UPS_AN_HOUR)
        if form.is_valid():
            form.save()
            user = authenticate(request, username=form.cleaned_data["username"], password=form.cleaned_data["password1"])
            login(request, user)
            return redirect("projects")
    return render(request, "account/sign_up.html", {"form": form}, status=422 if form.errors else 200)


class Forgotten(auth.PasswordResetView):
    """Ask for an e-mail that leads to a new password. It says the same whether there is such an account or not."""

    template_name = "account/forgotten.html"
    email_template_name = "account/forgotten_mail.txt"
    subject_template_name = "account/forgotten_subject.txt"
    success_url = reverse_lazy("forgotten_sent")

    def form_valid(self, form: Any) -> HttpResponse:
        """Count the try, then send."""
        count_try(self.request, "forgotten", form.cleaned_data["email"], RESETS_AN_HOUR)
        return super().form_valid(form)


class NewPassword(auth.PasswordResetConfirmView):
    """Choose a new password by the link of an e-mail."""

    template_name = "account/new_password.html"
    success_url = reverse_lazy("sign_in")

    def form_valid(self, form: Any) -> HttpResponse:
        """Say that it is done."""
        messages.success(self.request, "The new password is set. Sign in with it.")
        return super().form_valid(form)


@login_required
@require_http_methods(["GET", "HEAD", "POST"])
def account(request: HttpRequest) -> HttpResponse:
    """Show the account, or change its e-mail address."""
    form = AddressForm(request.POST or None, initial={"email": request.user.email})
    if request.method == "POST" and form.is_valid():
        try:
            request.user.email = free_address(form.cleaned_data["email"], request.user)
        except ValidationError as error:
            form.add_error("email", error)
        else:
            request.user.save(update_fields=["email"])
            messages.success(request, "The e-mail address is set.")
            return redirect("account")
    context = {"form": form, "alone": projects_alone(request.user), "left": projects_to_hand_over(request.user)}
    return render(request, "account/account.html", context, status=422 if form.errors else 200)


@login_required
@require_POST
def close(request: HttpRequest) -> HttpResponse:
    """Close the account."""
    if request.POST.get("name", "").strip() != request.user.get_username():
        raise Refused("Type your user name to close the account. Nothing was closed.")
    close_account(request.user, request.POST.get("password", ""))
    logout(request)
    messages.success(request, "The account was closed.")
    return redirect("sign_in")
