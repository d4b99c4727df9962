"""The words on screen: one term for one thing."""

import contextlib
import io
import unittest
from pathlib import Path

from guardia.cli import main
from guardia.tools.words import Text, faults, texts, texts_of_docs


class Words(unittest.TestCase):
    def test_no_text_uses_a_word_that_another_has_replaced(self):
        self.assertEqual(faults(texts()), [])

    def test_nor_does_the_documentation(self):
        docs = texts_of_docs(Path(__file__).parents[1])
        self.assertGreater(len({text.place.split(":")[0] for text in docs}), 5)
        self.assertEqual([fault for fault in faults(docs) if "words in" not in fault], [])

    def test_such_a_word_is_found_with_what_to_write_instead(self):
        wrong = faults([Text("a.py:1", "Silenced by the notch …"), Text("a.py:2", "nobody should stand on a ladder")])
        self.assertEqual(len(wrong), 2)
        self.assertTrue(all(line.startswith("a.py:1") for line in wrong))
        self.assertIn("level", wrong[0])
        self.assertIn("26 words", faults([Text("b.py:3", "One. " + "word " * 26)])[0])

    def test_texts_of_code_and_guide_are_listed_and_docstrings_and_queries_are_not(self):
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            self.assertEqual(main(["words"]), 0)
            self.assertEqual(main(["words", "--check"]), 0)
        listed = out.getvalue()
        for there in ("Close project", "Sensitivity, the make's own scale", "data/guide/words.md:1"):
            self.assertIn(there, listed)
        shown = [line.split("\t")[1] for line in listed.strip("\n").split("\n")]
        self.assertEqual([text for text in shown if text.startswith(("SELECT", "Every text that the program can"))], [])


if __name__ == "__main__":
    unittest.main()
