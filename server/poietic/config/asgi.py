"""The ASGI application that uvicorn serves."""

import os

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "poietic.config.settings.base")
django_application = get_asgi_application()

from ..web_api.gate import Gate  # noqa: E402  once Django is set up

application = Gate(django_application)  # type: ignore[arg-type]  # what ASGI hands on is a mapping
