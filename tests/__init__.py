"""Tests, all run by Django's test runner: `core` on its own, `api` over HTTP, `browser` as a user,
`outside` against published values and reference libraries."""
