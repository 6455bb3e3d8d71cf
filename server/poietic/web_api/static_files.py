"""Static files under ASGI: whitenoise answers with iterators that Django would have to thread."""

from typing import Any

from django.http import HttpResponse
from whitenoise.middleware import WhiteNoiseMiddleware


class StaticFiles(WhiteNoiseMiddleware):
    """WhiteNoise, answering with the whole (small) file at once."""

    @staticmethod
    def serve(static_file: Any, request: Any) -> HttpResponse:
        """Return the file as one piece."""
        streamed = WhiteNoiseMiddleware.serve(static_file, request)
        content = b"".join(streamed.streaming_content) if streamed.streaming else streamed.content
        answer = HttpResponse(content, status=streamed.status_code)
        for name, value in streamed.items():
            answer[name] = value
        return answer
