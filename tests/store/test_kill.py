import subprocess
import sys
from pathlib import Path

from tests.support import FolderCase

ROUNDS = 50
HOME = Path(__file__).resolve().parents[2]


class KilledAtAnyMoment(FolderCase):
    def test_at_most_the_last_unfinished_gesture_is_lost(self):
        done = subprocess.run(
            [sys.executable, "-m", "tests.store.kill_rounds", str(self.folder / "site"), str(ROUNDS)],
            cwd=HOME, capture_output=True, text=True, timeout=300, check=False,
        )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr)
        rounds = [line.split(maxsplit=4) for line in done.stdout.splitlines()]
        self.assertEqual(len(rounds), ROUNDS)
        for ahead, judged_ahead, clips_lost, whole, check in rounds:
            # Everything told as saved is there; at most the one step after it may be there, too.
            self.assertIn(int(ahead), (0, 1))
            self.assertIn(int(judged_ahead), (0, 1))
            self.assertEqual((clips_lost, whole, check), ("0", "True", "ok"))
