"""The entry that gunicorn serves; DJANGO_SETTINGS_MODULE says how."""

from django.core.wsgi import get_wsgi_application

application = get_wsgi_application()
