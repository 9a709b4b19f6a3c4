"""A file with a skeleton, animations and morph targets on the stage, and through export and trial."""

from __future__ import annotations

from tests.browser.site import Site
from tests.samples import folder
from tests.scenes import figure


class Scenes(Site):
    draws = True

    def test_a_scene_is_played_tried_and_handed_over(self) -> None:
        page = self.page
        self.begin("Figure")
        with folder() as root:
            figure().save(root / "in/figure.glb")
            self.bring_in(root / "in")
        self.measured()
        self.go("Meshes")
        held = page.get_by_role("region", name="Contents of the file")
        held.get_by_text("a skeleton of 2 joints").wait_for()
        still = self.stage_pixels()

        # A morph target moves it; an animation goes on moving it; all of it is undone in one step.
        held.get_by_label("full, number").fill("1")
        page.keyboard.press("Enter")
        self.stage_pixels(unlike=still)
        held.get_by_role("button", name="Play wave").click()
        self.moves()
        self.axe("a scene that plays")
        held.get_by_role("button", name="Stop wave").click()
        held.get_by_role("button", name="Reset").click()
        held.get_by_role("button", name="Play wave").wait_for()

        # Vertex colours are left out unless they are wanted; what goes along is said before.
        held.get_by_label("Export vertex colours").check()
        self.go("Export")
        along = page.get_by_role("region", name="Also included from the mesh files")
        along.get_by_text("a skeleton of 2 joints").wait_for()
        along.get_by_text("vertex colours").wait_for()
        self.button("Export and test").click()
        page.get_by_role("heading", name="Under the same light").wait_for()
        page.get_by_role("button", name="figure scene: identical").click()
        page.get_by_role(
            "heading", name="The scene of the file arrived as it was exported"
        ).wait_for()
        self.axe("the trial of a scene")
