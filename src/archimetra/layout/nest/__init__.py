"""Nesting by true shapes: tables of how deep two parts overlap, guided search on them, exact linear programs to finish.

``nesting.nest`` is the way in; ``request`` has what it takes and gives, ``checking`` the exact check every answer passes.
"""
