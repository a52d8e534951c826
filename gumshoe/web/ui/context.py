"""What every page needs: the shop's name and who is signed in."""

from typing import Any

from django.http import HttpRequest

from gumshoe import __version__
from gumshoe.web.accounts.rights import Right, may
from gumshoe.web.settings.models import Settings


def shell(request: HttpRequest) -> dict[str, Any]:
    """The shop and the rights of this user, as booleans for templates."""
    user = getattr(request, "user", None)
    if user is None or not user.is_authenticated:
        return {"can": {}, "version": __version__}
    return {
        "version": __version__,
        "shop_settings": Settings.load(),
        "can": {right.name.lower(): may(user, right) for right in Right},
    }
