"""Every channel of every file of every target, spoiled one at a time: the trial blames what that
channel carries, and only that."""

from __future__ import annotations

from pathlib import Path
from unittest import TestCase

import cv2
import numpy as np

from ektopos.export.profile import Profile, built_in_profiles, find_profile
from ektopos.export.write_package import export_package
from ektopos.trial.compare import run_trial
from tests.samples import folder, project

PLACE = {"b": 0, "g": 1, "r": 2, "a": 3}
"""Where OpenCV keeps a channel."""


def blamed(profile: Profile, carries: str) -> set[str]:
    """The inputs that may differ when one channel that carries this is spoiled."""
    return set(profile.inputs_of(carries))


def spoil(path: Path, channel: str) -> bool:
    """Turn one channel round; false if the file has no such channel or turning it round changes
    nothing."""
    pixels = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    pixels = pixels if pixels.ndim == 3 else pixels[..., None]
    place = 0 if pixels.shape[2] == 1 else PLACE[channel]
    if place >= pixels.shape[2]:
        return False
    turned = np.iinfo(pixels.dtype).max - pixels[..., place]
    if np.abs(turned.astype(int) - pixels[..., place]).mean() < 4:
        return False
    pixels[..., place] = turned
    cv2.imwrite(str(path), pixels)
    return True


class EveryChannel(TestCase):
    def test_a_spoiled_channel_is_blamed_on_what_it_carries(self) -> None:
        spoiled = 0
        for target in built_in_profiles():
            profile = find_profile(target)
            if profile.container in ("glb", "usdz"):
                continue  # its textures lie inside one file; the bytes of that are tampered with below
            with project() as opened, folder() as root:
                export = export_package(opened, profile, root / "out")
                for file in export.files:
                    if not file.path.endswith(".png") or Path(file.path).name.startswith(
                        "tile_dull"
                    ):
                        continue
                    sound = (root / "out" / file.path).read_bytes()
                    for channel, carries in file.channels.items():
                        if carries is None or not spoil(root / "out" / file.path, channel):
                            continue
                        spoiled += 1
                        with self.subTest(target, file=file.path, channel=channel):
                            trial = run_trial(opened, root / "out", profile, renders=False)
                            wrong = {
                                c.input for c in trial.cells if c.verdict in ("differs", "lost")
                            }
                            self.assertFalse(trial.passed)
                            self.assertTrue(wrong, "something is blamed")
                            self.assertLessEqual(wrong, blamed(profile, carries))
                        (root / "out" / file.path).write_bytes(sound)
                trial = run_trial(opened, root / "out", profile, renders=False)
                self.assertTrue(trial.passed, "put back, it passes again")
        self.assertGreater(spoiled, 40)

    def test_a_byte_changed_anywhere_in_a_packed_texture_is_noticed(self) -> None:
        profile = find_profile("gltf-glb")
        with project() as opened, folder() as root:
            export = export_package(opened, profile, root / "out")
            (container,) = (root / "out" / f.path for f in export.files if f.path.endswith(".glb"))
            sound = container.read_bytes()
            start = sound.index(b"IDAT")
            for offset in (start + 20, start + 400, start + 900):
                with self.subTest(offset=offset - start):
                    changed = bytearray(sound)
                    changed[offset] ^= 0x55
                    container.write_bytes(bytes(changed))
                    self.assertFalse(run_trial(opened, root / "out", profile, renders=False).passed)
            container.write_bytes(sound)
            self.assertTrue(run_trial(opened, root / "out", profile, renders=False).passed)
