"""The pages on which people come in: logging in, joining by invitation, a new password, and links
that let whoever has them look. Plain HTML by Django's own views; used in team mode only."""

from __future__ import annotations

from threading import Thread
from typing import Any

from django import forms
from django.conf import settings
from django.contrib.auth import login
from django.contrib.auth import views as auth
from django.contrib.auth.forms import (
    AuthenticationForm,
    BaseUserCreationForm,
    PasswordResetForm,
)
from django.contrib.auth.models import User
from django.db import transaction
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import include, path, reverse_lazy
from django.utils.http import urlencode
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_http_methods

from server import administration_pages, second_factor
from server.addresses import is_invited, verify
from server.limiting import has_tried_too_often, limited
from server.lookalikes import look_alike
from server.workshop.audit import write_down
from server.workshop.models import Invitation, Member, Role, SharedLink
from server.workshop.principals import LINKS

FORM = "people/form.html"


class NameAndPassword(AuthenticationForm):
    """What is asked for when somebody comes in."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["username"].label = "Name"


class LogIn(auth.LoginView):
    """Name and password; or the organisation's own log-in, where that is set up."""

    template_name = FORM
    authentication_form = NameAndPassword
    redirect_authenticated_user = True

    def form_valid(self, form: AuthenticationForm) -> HttpResponse:
        """The password is right; whoever has a second factor is asked for that."""
        person: User = form.get_user()
        if second_factor.is_asked_for(person):
            return second_factor.ask_for_code(self.request, person, self.get_success_url())
        return super().form_valid(form)

    def get_context_data(self, **kwargs: Any) -> dict[str, Any]:
        """What the page says."""
        goal = self.get_redirect_url() or "/"
        return super().get_context_data(**kwargs) | {
            "title": "Ektopos",
            "does": "Log in",
            "next": goal,
            "links": [(reverse_lazy("reset"), "I have forgotten my password")],
            "sso": settings.SSO["name"] if settings.SSO["url"] else "",
            "sso_next": urlencode({"next": goal}),
        }


class Account(BaseUserCreationForm):
    """A new account; for a mail address that was invited it is that one's."""

    email = forms.EmailField(label="Mail address", help_text="")

    def __init__(self, *args: Any, invited: str = "", **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        if invited:
            self.fields["email"].initial = invited
            self.fields["email"].disabled = True

    def clean_username(self) -> str:
        """A name that nobody takes for somebody else's."""
        name: str = self.cleaned_data["username"]
        other = look_alike(name, User.objects.values_list("username", flat=True))
        if other is not None:
            raise forms.ValidationError(f"This could be taken for {other}. Choose another name.")
        return name

    class Meta:
        model = User
        fields = ("username", "email")
        labels = {"username": "Name"}


def waits(request: HttpRequest) -> HttpResponse:
    """Too many tries at a door."""
    said = f"Too many tries from here. Wait {settings.LOGIN_PAUSE_MINUTES:.0f} minutes."
    context = {"title": "Wait a little", "said": said, "links": [("/in", "Back")]}
    return render(request, FORM, context, status=429)


@never_cache
@limited("join-failed", waits)
@require_http_methods(["GET", "POST"])
def join(request: HttpRequest, secret: str) -> HttpResponse:
    """Take an invitation: whoever has logged in joins with that account, others make one."""
    invitation = Invitation.known(secret)
    if invitation is None:
        write_down("join-failed", request)
        said = "This invitation is used up or has ended. Ask for another."
        return render(request, FORM, {"title": "No invitation", "said": said}, status=404)
    what = f"the project {invitation.project.name}" if invitation.project else "this server"
    if request.user.is_authenticated and not is_invited(request.user, invitation):
        said = f"This invitation is for {invitation.email}, which is not verified as yours."
        links = [("/account", "Verify your mail address"), ("/", "Projects")]
        refused = {"title": "Another’s invitation", "said": said, "links": links}
        return render(request, FORM, refused, status=403)
    if request.user.is_authenticated:
        form: forms.Form | Account = forms.Form(request.POST or None)
        said = f"You are {request.user}, and are invited to {what}."
    else:
        form = Account(request.POST or None, invited=invitation.email)
        said = f"You are invited to {what}. Choose a name and a password."
    if request.method == "POST" and form.is_valid():
        with transaction.atomic():
            # Once only, whoever comes first.
            if not Invitation.objects.filter(pk=invitation.pk).delete()[0]:
                return HttpResponseRedirect(request.path)
            given_role, into = invitation.role, invitation.project_id
            person: User = form.save() if isinstance(form, Account) else request.user  # type: ignore[assignment]
            if invitation.project is not None:
                row, _ = Member.objects.get_or_create(
                    project=invitation.project, person=person, defaults={"role": invitation.role}
                )
                if Role(invitation.role).allows(Role(row.role)):
                    Member.objects.filter(pk=row.pk).update(role=invitation.role)
            if isinstance(form, Account) and invitation.email:
                verify(person, invitation.email)  # it was sent there
        write_down("joined", request, who=person.username, project=into, role=given_role)
        if isinstance(form, Account):
            login(request, person, backend="django.contrib.auth.backends.ModelBackend")
        goal = f"/projects/{invitation.project_id}/maps" if invitation.project_id else "/"
        return HttpResponseRedirect(goal)
    here = urlencode({"next": request.path})
    links = [] if request.user.is_authenticated else [(f"/in?{here}", "I have an account already")]
    context = {"title": "Join", "said": said, "form": form, "does": "Join", "links": links}
    return render(request, FORM, context)


@never_cache
@limited("join-failed", waits)
def look(request: HttpRequest, secret: str) -> HttpResponse:
    """Let this browser look at a project, until the link ends."""
    link = SharedLink.known(secret)
    if link is None:
        write_down("join-failed", request)
        said = "This link has ended. Ask whoever sent it for another."
        return render(request, FORM, {"title": "Nothing here", "said": said}, status=404)
    request.session[LINKS] = sorted({*request.session.get(LINKS, []), link.pk})
    return HttpResponseRedirect(f"/projects/{link.project_id}/maps")


def locked_out(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
    """Too many wrong passwords."""
    write_down("lock-out", request, who=str(request.POST.get("username", ""))[:150])
    minutes = round(settings.LOGIN_PAUSE_MINUTES)
    said = f"Too many wrong passwords. Try again in {minutes} minutes, or reset yours."
    links = [(reverse_lazy("reset"), "I have forgotten my password"), ("/in", "Back")]
    context = {"title": "Wait a little", "said": said, "links": links}
    return render(request, FORM, context, status=429)


class _SentApart(PasswordResetForm):
    """Sends the mail apart from the answer, which therefore takes as long for addresses that nobody
    has."""

    def send_mail(self, *args: Any, **kwargs: Any) -> None:
        """In a thread of its own."""
        Thread(target=super().send_mail, args=args, kwargs=kwargs).start()


class Reset(auth.PasswordResetView):
    """Ask for a new password; only so often from one address."""

    form_class = _SentApart

    def post(self, request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        """Whoever asks too often waits, account or not."""
        if has_tried_too_often(request, "reset-asked"):
            return waits(request)
        write_down("reset-asked", request)
        return super().post(request, *args, **kwargs)


def _page(view: type[Any], title: str, said: str, does: str = "", **more: Any) -> Any:
    context = {"title": title, "said": said, "does": does, "links": [("/in", "Log in")]}
    return view.as_view(template_name=FORM, extra_context=context, **more)


_CAN_MAIL = (
    "A link to choose a new one is sent to your mail address."
    if settings.EMAIL_HOST
    else "This server sends no mail: ask whoever looks after it."
)
patterns = [
    *administration_pages.patterns,
    *second_factor.patterns,
    path("in", LogIn.as_view(), name="in"),
    path("out", auth.LogoutView.as_view(), name="out"),
    path("join/<str:secret>", join),
    path("shared/<str:secret>", look),
    path(
        "reset/",
        _page(
            Reset,
            "A new password",
            _CAN_MAIL,
            "Send it",
            email_template_name="people/reset_mail.txt",
            subject_template_name="people/reset_subject.txt",
            success_url=reverse_lazy("reset-sent"),
        ),
        name="reset",
    ),
    path(
        "reset/sent",
        _page(
            auth.PasswordResetDoneView,
            "Look into your mail",
            "If an account has that address, a link is on its way.",
        ),
        name="reset-sent",
    ),
    path(
        "reset/<uidb64>/<token>/",
        _page(
            auth.PasswordResetConfirmView,
            "A new password",
            "Choose one that you use nowhere else.",
            "Keep it",
            success_url=reverse_lazy("reset-done"),
        ),
        name="password_reset_confirm",
    ),
    path(
        "reset/done",
        _page(auth.PasswordResetCompleteView, "Done", "Your new password is kept."),
        name="reset-done",
    ),
]
if settings.SSO["url"]:
    patterns.append(path("sso/", include("allauth.urls")))
