"""Targets: what an engine wants, and the package that gives it that.

`profile` reads a target's rules, `plan` says which files hold which inputs before anything is
written, `differences` what does not leave as it was made, `packing` makes their texels, `export`
writes a package all or nothing. Whether it arrived is `ektopos.trial`, which shares no code with
this room but the profile.
"""
