"""Addresses of search, lists, vehicles and customers."""

from django.urls import path

from gumshoe.web.finding import views

app_name = "finding"
urlpatterns = [
    path("find/", views.find, name="find"),
    path("find/typed/", views.as_typed, name="as_typed"),
    path("cases/", views.cases, name="cases"),
    path("vehicles/", views.vehicles, name="vehicles"),
    path("vehicles/<int:pk>/", views.vehicle, name="vehicle"),
    path("vehicles/<int:pk>/owner/", views.change_owner, name="change_owner"),
    path("vehicles/<int:pk>/merge/", views.merge_vehicle, name="merge_vehicle"),
    path("customers/", views.customers, name="customers"),
    path("customers/new/", views.new_customer, name="new_customer"),
    path("customers/<int:pk>/", views.customer, name="customer"),
    path("customers/<int:pk>/held.json", views.held, name="held"),
    path("customers/<int:pk>/erase/", views.erase, name="erase"),
    path("customers/due/", views.due, name="due"),
    path("customers/<int:pk>/merge/", views.merge_customer, name="merge_customer"),
]
