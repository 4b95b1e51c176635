"""The job itself: arrays and frozen dataclasses in, dataclasses out.

Nothing here knows a database, a web request, a settings file or a progress bar.
Long work takes an optional ``progress`` callable, which may raise ``Stopped``.
"""
