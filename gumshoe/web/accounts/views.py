"""Sign in and out."""

from django.contrib.auth.views import LoginView, LogoutView

from gumshoe.web.accounts.rights import Right


class SignIn(LoginView):
    """The sign-in page; failures are throttled by django-axes."""

    template_name = "accounts/sign_in.html"
    redirect_authenticated_user = True
    required_right = Right.ANYONE


class SignOut(LogoutView):
    """Sign out (POST only)."""

    next_page = "accounts:sign_in"
    required_right = Right.ANYONE
