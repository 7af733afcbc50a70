"""``Session``: what one window works on. ``document`` is the job with its history and what of it is shown; ``planning``, ``playhead`` and
``imports`` are what runs beside it; ``session`` joins them with the engine's processes."""

from archimetra.app.session.session import Session as Session
