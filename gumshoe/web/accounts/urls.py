"""Addresses of sign-in."""

from django.urls import path

from gumshoe.web.accounts.views import SignIn, SignOut

app_name = "accounts"
urlpatterns = [
    path("sign-in/", SignIn.as_view(), name="sign_in"),
    path("sign-out/", SignOut.as_view(), name="sign_out"),
]
