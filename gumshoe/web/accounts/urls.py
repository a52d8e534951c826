"""Addresses of sign-in, one's own account, and people."""

from django.urls import path

from gumshoe.web.accounts import views

app_name = "accounts"
urlpatterns = [
    path("sign-in/", views.SignIn.as_view(), name="sign_in"),
    path("sign-out/", views.SignOut.as_view(), name="sign_out"),
    path("me/", views.me, name="me"),
    path("me/sign-out-everywhere/", views.sign_me_out, name="sign_me_out"),
    path("people/", views.everybody, name="people"),
    path("people/add/", views.add, name="add"),
    path("people/unlock-address/", views.unlock_address, name="unlock_address"),
    path("people/<int:pk>/", views.one, name="one"),
    path("people/<int:pk>/one-time/", views.one_time, name="one_time"),
    path("people/<int:pk>/deactivate/", views.deactivate, name="deactivate"),
    path("people/<int:pk>/reactivate/", views.reactivate, name="reactivate"),
    path("people/<int:pk>/sign-out/", views.sign_out_everywhere, name="sign_out_everywhere"),
    path("people/<int:pk>/unlock/", views.unlock, name="unlock"),
]
