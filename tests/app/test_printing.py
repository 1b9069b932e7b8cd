"""Pages to a printer: by the desk's own dialog, as many as there are, as large as the paper allows."""

from __future__ import annotations

import pytest
from PySide6.QtGui import QPageSize
from PySide6.QtPrintSupport import QPrinter, QPrintPreviewDialog
from tests.app.hand import answered, press

from bibulon.app.kit.printing import lay_pages
from bibulon.core.drawing.kit.pages import PAGE
from bibulon.core.plans.rehearsal.training import trained_of


@pytest.fixture
def printed(monkeypatch, tmp_path):
    """What a preview would put on paper, as PDF files."""
    made = []

    def run(dialog):
        file = tmp_path / f"printed-{len(made)}.pdf"
        printer = dialog.printer()
        printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
        printer.setOutputFileName(str(file))
        dialog.paintRequested.emit(printer)
        made.append((dialog.windowTitle(), file.read_bytes()))

    monkeypatch.setattr(QPrintPreviewDialog, "exec", run)
    return made


def pages_in(pdf: bytes) -> int:
    return pdf.count(b"/Type /Page\n") + pdf.count(b"/Type /Page ")


def test_the_job_card_calls_and_lists_are_printed(petal, qtbot, printed):
    petal.go_to("Record")
    record = petal.station("Record")
    record.tabs.go("Card and weighing")
    press(qtbot, record.side, "Print the job card…")
    assert printed[0][0] == petal.session.job.name
    assert pages_in(printed[0][1]) == len(record.pages()) > 1
    petal.go_to("Lines")
    lines = petal.station("Lines")
    lines.tabs.go("Calls")
    if lines.calls.later.busy:
        answered(qtbot, lines.calls.later, lambda: None)
    press(qtbot, lines.calls, "Print…")
    assert pages_in(printed[1][1]) >= 1
    petal.go_to("Stack")
    stack = petal.station("Stack")
    answered(qtbot, stack.lists.later, lambda: stack.tabs.go("Lists"))
    press(qtbot, stack.lists, "Print…")
    assert pages_in(printed[2][1]) == len(stack.lists.pages.pages)


@pytest.mark.parametrize(
    "size", [QPageSize.PageSizeId.A4, QPageSize.PageSizeId.Letter, QPageSize.PageSizeId.A5]
)
def test_a_page_fills_whatever_paper_there_is(tmp_path, qapp, size):
    printer = QPrinter()
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setPageSize(QPageSize(size))
    printer.setOutputFileName(str(tmp_path / "p.pdf"))
    lay_pages(printer, [[], []], PAGE)
    assert pages_in((tmp_path / "p.pdf").read_bytes()) == 2


def test_a_training_log_with_nonsense_is_read_as_far_as_it_can_be():
    lines = [
        '{"unix_s": 10, "person": "Ana", "job": "Lid", "outcome": "good", "faults": {"leak": 3.0, "pump": null}}',
        "nonsense", "[]", '{"unix_s": "then", "faults": {}}',
        '{"unix_s": 20, "person": "Ben", "job": "Lid", "outcome": "dry", "faults": {}}',
        '{"unix_s": 30, "job": "Hatch", "outcome": "porous", "faults": {}}',
    ]  # fmt: skip
    told = trained_of(lines, "Ana")
    assert [(t.job, t.faults, t.noticed) for t in told] == [("Hatch", 0, 0), ("Lid", 2, 1)]
