"""For whoever looks after the server. Sources: the Prometheus text format by its own library's
parser; the habit of load balancers to ask for liveness and readiness apart."""

from __future__ import annotations

from unittest import mock

from django.test import Client, override_settings
from prometheus_client.parser import text_string_to_metric_families

from server import watching
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
        with mock.patch.object(watching, "_queue", side_effect=ConnectionError):
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

    def test_a_request_can_be_followed_through_the_log(self) -> None:
        with self.assertLogs("ektopos.requests", "INFO") as log:
            answer = self.client.get("/api/projects", headers={"X-Request-ID": "from-the-proxy.1"})
            other = self.client.get("/api/projects", headers={"X-Request-ID": "no\nline"})
        self.assertEqual(answer["X-Request-ID"], "from-the-proxy.1")
        self.assertRegex(other["X-Request-ID"], "^[0-9a-f]{32}$")
        self.assertEqual(
            (log.records[0].status, "GET /api/projects 200" in log.output[0]), (200, True)
        )
