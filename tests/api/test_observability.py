"""For whoever looks after the server. Sources: the Prometheus text format by its own library's
parser; the habit of load balancers to ask for liveness and readiness apart."""

from __future__ import annotations

import io
import logging
import re
from unittest import mock

from django.test import Client, override_settings
from prometheus_client.parser import text_string_to_metric_families

from server import observability
from server.workshop.models import Job, Project
from tests.api.client import Api


class Watching(Api):
    def test_it_says_whether_it_is_well_without_being_logged_in(self) -> None:
        for path in ("live", "ready"):
            self.assertEqual(self.client.get(f"/health/{path}").status_code, 200)
        with override_settings(ACCESS_TOKEN="a token that is long enough"):
            self.assertEqual(Client().get("/health/ready").status_code, 200)
        # A balancer asks by the machine's number, over plain HTTP.
        with override_settings(ALLOWED_HOSTS=["textures.example"], SECURE_SSL_REDIRECT=True):
            asked = self.client.get("/health/ready", headers={"Host": "10.0.0.7"})
            self.assertEqual((asked.status_code, self.client.get("/").status_code), (200, 400))
        with mock.patch.object(observability, "_queue", side_effect=ConnectionError):
            answer = self.client.get("/health/ready")
        self.assertEqual(
            (answer.status_code, answer.json()["problems"]), (503, {"queue": "ConnectionError"})
        )

    def test_its_numbers_are_for_whoever_knows_their_token(self) -> None:
        project = Project.objects.get(pk=self.begin()["id"])
        Job.objects.create(project=project, kind="measure")
        self.assertEqual(self.client.get("/health/metrics").status_code, 404)
        with override_settings(METRICS_TOKEN="numbers"):
            self.assertEqual(self.client.get("/health/metrics").status_code, 404)
            answer = self.client.get("/health/metrics", headers={"Authorization": "Bearer numbers"})
        samples = {
            (sample.name, sample.labels.get("state")): sample.value
            for family in text_string_to_metric_families(answer.content.decode())
            for sample in family.samples
        }
        self.assertEqual(samples["ektopos_jobs", "waiting"], 1)
        self.assertEqual(samples["ektopos_projects", None], 1)
        self.assertGreater(samples["ektopos_request_seconds_count", None], 0)

    def test_no_secret_stands_in_the_log_at_any_level(self) -> None:
        """Source: OWASP's cheat sheet on logging, “Data to exclude”."""
        places = (
            "/join/SECRET-1",
            "/shared/SECRET-2?next=/",
            "/reset/MQ/SECRET-3/",
            "/api/none?token=SECRET-4",
            "/api/jobs/SECRET-5%0Aforged",
        )
        (console,) = logging.getLogger().handlers
        written = io.StringIO()
        before, level = console.setStream(written), logging.getLogger().level  # type: ignore[attr-defined]
        logging.getLogger().setLevel(logging.DEBUG)
        try:
            for place in places:
                self.client.get(place)
            self.client.get("/join/SECRET-6", headers={"Host": "rebound.example"})
            try:
                raise ValueError("https://textures.example/join/SECRET-7")
            except ValueError:
                logging.getLogger("anybody").exception("while answering %s", "/shared/SECRET-8")
        finally:
            logging.getLogger().setLevel(level)
            console.setStream(before)  # type: ignore[attr-defined]
        said = written.getvalue()
        self.assertIn("/join/…", said)
        self.assertIn("/shared/…", said)
        self.assertEqual(re.findall(r"SECRET-[1-46-8]", said), [])

    def test_invented_methods_are_counted_as_one(self) -> None:
        def methods() -> set[str]:
            with override_settings(METRICS_TOKEN="numbers"):
                answer = self.client.get(
                    "/health/metrics", headers={"Authorization": "Bearer numbers"}
                )
            families = text_string_to_metric_families(answer.content.decode())
            return {s.labels["method"] for f in families for s in f.samples if "method" in s.labels}

        for number in range(20):
            self.client.generic(f"INVENTED{number}", "/api/projects")
        self.assertIn("other", methods())
        self.assertFalse([method for method in methods() if method.startswith("INVENTED")])

    def test_a_request_can_be_followed_through_the_log(self) -> None:
        with self.assertLogs("ektopos.requests", "INFO") as log:
            answer = self.client.get("/api/projects", headers={"X-Request-ID": "from-the-proxy.1"})
            other = self.client.get("/api/projects", headers={"X-Request-ID": "no\nline"})
        self.assertEqual(answer["X-Request-ID"], "from-the-proxy.1")
        self.assertRegex(other["X-Request-ID"], "^[0-9a-f]{32}$")
        self.assertEqual(
            (log.records[0].status, "GET /api/projects 200" in log.output[0]), (200, True)
        )
