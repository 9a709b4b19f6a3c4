"""Every call of the API against its own description, with bodies and addresses that nobody would
send.

Source of the cases: schemathesis, from the OpenAPI document; a fixed small budget, the same cases
each time.
"""

from __future__ import annotations

import logging

import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from ektopos.rendering.filtered import LIGHTS_KEY
from server.workshop.models import Job, MapFacts, MeshFacts, Package, Project
from server.wsgi import application
from tests.api.client import Api

CASES = 12
CHECKS = [
    not_a_server_error,
    status_code_conformance,
    content_type_conformance,
    response_schema_conformance,
]


class EveryCall(Api):
    def real(self, project: dict) -> dict[str, object]:
        """Parameters of addresses that lead somewhere, so that more is tried than 404."""
        sheet = self.call("get", f"/projects/{project['id']}/sheets/tile")
        return {
            "project_id": project["id"],
            "name": "tile",
            "set_name": "tile",
            "map_name": "tile_orm",
            "other": "plates",
            "light": "grey-room",
            "sha256": MapFacts.objects.first().sha256,
            "package_id": Package.objects.first().pk,
            "job_id": self.call("get", f"/projects/{project['id']}/jobs")[0]["id"],
            "checkpoint_id": project["checkpoints"][0]["id"],
            "key": sheet["stage"]["picture"],
            "x": 3,
            "y": 5,
            "size": 32,
            "number": 0,
        }

    def every_case(self, operation, parameters: dict[str, object]) -> int:
        """Try a call with so many cases; gives how many."""
        turn = 0

        def each(case) -> None:
            nonlocal turn
            turn += 1
            # Every other case goes where something is; deleting goes nowhere, for the others need
            # it.
            if turn % 2 and operation.method != "delete" and case.path_parameters:
                case.path_parameters |= {
                    k: v for k, v in parameters.items() if k in case.path_parameters
                }
            # What calls in the same process does not unpack what it says it can.
            answer = case.call(headers={"Accept-Encoding": "identity"})
            case.validate_response(answer, checks=CHECKS)

        with_cases = given(case=operation.as_strategy())(each)
        settings(
            max_examples=CASES,
            derandomize=True,
            database=None,
            deadline=None,
            phases=[Phase.explicit, Phase.generate],
            suppress_health_check=list(HealthCheck),
        )(with_cases)()
        return turn

    def test_no_call_answers_what_it_does_not_describe(self) -> None:
        logging.disable(logging.WARNING)
        self.addCleanup(logging.disable, logging.NOTSET)
        project = self.sample()
        project = self.call("post", f"/projects/{project['id']}/checkpoints", {"name": "a"})
        self.call(
            "post",
            f"/projects/{project['id']}/exports",
            {"revision": project["revision"], "trial": True},
        )
        real = self.real(project)
        schema = schemathesis.openapi.from_wsgi("/api/openapi.json", application)
        tried = 0
        for found in schema.get_all_operations():
            operation = found.ok()
            parameters = dict(real)
            if "/meshes/" in operation.path:
                parameters["name"] = "plates"
            if "/maps/" in operation.path:
                parameters["name"] = "tile_orm"
            if "/lights/" in operation.path:
                parameters["key"] = LIGHTS_KEY
            if operation.path.startswith(
                ("/api/mesh-geometry", "/api/mesh-measures", "/api/mesh-faults")
            ):
                parameters["key"] = MeshFacts.objects.first().key
            with self.subTest(operation.label):
                tried += self.every_case(operation, parameters)
        self.assertGreater(tried, 300)
        failed = Job.objects.exclude(error=None)
        broken = [job for job in failed if "in the log" in job.error["message"]]
        self.assertEqual([(job.kind, job.arguments) for job in broken], [], "nor may a job")
        self.assertTrue(Project.objects.filter(pk=project["id"]).exists())
        self.assertEqual(self.call("get", f"/projects/{project['id']}")["document"]["ektopos"], 1)
