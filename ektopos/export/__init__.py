"""Targets: what an engine wants, and the package that gives it that.

`profile` reads a target's rules, `plan` says which files hold which inputs before anything is
written, `differences` what is exported otherwise than it was made, `packing` makes the texels, and
`write_package` writes a package all or nothing. Whether it arrived is `ektopos.trial`, which shares
no code with this folder but the profile.
"""
