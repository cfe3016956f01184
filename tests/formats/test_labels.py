"""Labels on paper, read back by a reader of codes."""

import io
import unittest

import cv2
import numpy as np
import pypdfium2

from mirvo.formats.labels import PAPERS, TAPE, Label, label_pdf

DPI = 300
LONG = "A tree whose name goes on and on, as names of trees sometimes do when nobody stops"


def pages(pdf):
    """Each page as a picture, and how large it is on paper, mm."""
    document = pypdfium2.PdfDocument(io.BytesIO(pdf))
    for page in document:
        size = tuple(round(side / 72 * 25.4, 1) for side in page.get_size())
        yield np.asarray(page.render(scale=DPI / 72).to_pil().convert("RGB"))[..., ::-1], size


def codes(picture, paper):
    """What each label of a page says, in the order of the paper; "" where none is."""
    found = []
    for place in range(paper.on_sheet):
        row, column = divmod(place, paper.across)
        left = paper.first[0] + column * paper.step[0]
        top = paper.first[1] + row * paper.step[1]
        x, y, wide, high = (round(mm / 25.4 * DPI) for mm in (left, top, *paper.size))
        found.append(read(np.ascontiguousarray(picture[y : y + high, x : x + wide])))
    return found


def read(label):
    """The code of one label; looked at finer and coarser, as a phone moves to and fro."""
    for scale in (1.0, 0.6, 1.6, 0.8, 0.45, 2.2, 1.3):
        seen = cv2.resize(label, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
        text = cv2.QRCodeDetector().detectAndDecode(seen)[0]
        if text:
            return text
    return ""


def labels(count):
    base = "http://192.168.178.20:8000/trees/"
    return [Label(f"Tree {n}", ("Zelkova", "Zelkova serrata"), f"{base}{n}") for n in range(count)]


class LabelTest(unittest.TestCase):
    def test_every_code_of_every_paper_leads_to_its_tree_from_its_place(self):
        for key, paper in PAPERS.items():
            with self.subTest(paper=key):
                made = labels(paper.on_sheet)
                [(picture, size)] = list(pages(label_pdf(made, paper)))
                self.assertEqual(size, (210, 297))
                self.assertEqual(codes(picture, paper), [one.address for one in made])

    def test_a_sheet_begun_before_is_gone_on_with(self):
        paper = PAPERS["105x74"]
        made = [codes(picture, paper) for picture, _ in pages(label_pdf(labels(9), paper, 6))]
        said = [["" if not text else text[-1] for text in page] for page in made]
        self.assertEqual(said, [[*([""] * 6), "0", "1"], [*"2345678", ""]])
        # More than there are on it: the last one is taken.
        self.assertEqual(len(list(pages(label_pdf(labels(1), paper, used=99)))), 1)

    def test_one_a_page_on_tape(self):
        made = list(pages(label_pdf(labels(3), TAPE)))
        self.assertEqual([size for _, size in made], [TAPE.size] * 3)
        said = [codes(picture, TAPE)[0][-1:] for picture, _ in made]
        self.assertEqual(said, ["0", "1", "2"])

    def test_long_and_foreign_names_stay_on_their_label(self):
        names = (LONG, "欅 🌳", "<b>& </b>", "x" * 80)
        address = "http://a.local:8000/trees/1"
        made = [Label(name, (LONG, "Ω"), address) for name in names]
        paper = PAPERS["70x37"]
        [(picture, _)] = list(pages(label_pdf(made, paper)))
        self.assertEqual(codes(picture, paper)[:4], [address] * 4)
