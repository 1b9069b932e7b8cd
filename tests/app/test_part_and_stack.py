"""Part and Stack by hand: layers dragged and pasted, plies drawn, the library, files in and out, variants."""

from __future__ import annotations

import math

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QApplication, QComboBox, QDialog, QScrollArea
from tests.app.hand import LEFT, answered, choose, draw, pick_cell, press, type_cell, type_into

from bibulon.app.kit.table import Table
from bibulon.app.kit.tabs import Tabs
from bibulon.app.stations.part import import_dialog
from bibulon.app.stations.part.import_dialog import DrawingImport, MeshImport
from bibulon.core.drawing.kit.scene import Area, Label
from bibulon.core.geometry import outline as geometry
from bibulon.core.geometry.outline import trace
from bibulon.core.geometry.surface import lift_onto
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Drawn
from bibulon.core.run.layup import laid_layers
from bibulon.core.stack.totals import part_totals
from bibulon.store.imports.drawing_in import read_drawing
from bibulon.store.imports.mesh_in import read_mesh
from bibulon.store.library import read_materials


@pytest.fixture
def part(petal):
    petal.go(0)
    return petal.station("Part")


@pytest.fixture
def stack(petal):
    petal.go(1)
    return petal.station("Stack")


def clip(text):
    QGuiApplication.clipboard().setText(text)


# -- the stack as a drawing and as a table


def test_a_layer_is_dragged_to_another_place(petal, stack, qtbot):
    before = [x.id for x in petal.session.job.stack]
    rows = {r.index: r for r in stack.drawing.rows()}
    start, target = rows[0], rows[3]
    x = 100
    qtbot.mousePress(stack.drawing, LEFT, pos=QPoint(x, round(start.middle)))
    qtbot.mouseMove(stack.drawing, QPoint(x, round(start.middle) - 10))
    qtbot.mouseMove(stack.drawing, QPoint(x, round(target.top) + 1))
    qtbot.mouseRelease(stack.drawing, LEFT, pos=QPoint(x, round(target.top) + 1))
    assert [x.id for x in petal.session.job.stack] == [*before[1:4], before[0], *before[4:]]
    assert petal.session.undo_stack.undoText() == "Move layer"
    assert stack.table.current() == 3
    petal.session.undo_stack.undo()
    assert [x.id for x in petal.session.job.stack] == before


def test_layers_are_chosen_moved_and_removed_by_keys(petal, stack, qtbot):
    drawing = stack.drawing
    drawing.setFocus()
    qtbot.keyClick(drawing, Qt.Key.Key_Up)
    qtbot.keyClick(drawing, Qt.Key.Key_Up)
    assert stack.table.current() == 1
    qtbot.keyClick(drawing, Qt.Key.Key_Up, Qt.KeyboardModifier.ControlModifier)
    assert [x.id for x in petal.session.job.stack][:3] == ["L1", "L3", "L2"]
    qtbot.keyClick(drawing, Qt.Key.Key_Delete)
    assert [x.id for x in petal.session.job.stack][:2] == ["L1", "L3"]


def test_a_stack_goes_to_a_spreadsheet_and_comes_back(petal, stack, qtbot):
    before = petal.session.job
    stack.table.setFocus()
    qtbot.keyClick(stack.table, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    text = QGuiApplication.clipboard().text()
    assert text.splitlines()[0].startswith("layer\tangle\tlies in")
    assert len(text.splitlines()) == 1 + len(before.stack)
    stack.table.choose(0)
    qtbot.keyClick(stack.table, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert [(x.material, x.angle_deg, x.zones) for x in petal.session.job.stack] == [
        (x.material, x.angle_deg, x.zones) for x in before.stack
    ]
    clip("layer\tangle\tlies in\nTwill 400\t45\tCored field + Foot flange\nbiax-600\t-45°\teverywhere")
    stack.table.choose(7)
    press(qtbot, stack.bench, "Paste")
    assert len(petal.session.job.stack) == 9
    assert petal.session.job.stack[7].zones == ("field", "foot")
    assert petal.session.job.stack[8].angle_deg == -45


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("Twil 400\t0", "Row 1: There is no material “Twil 400”: is it “Twill 400”?"),
        ("Twill 400\tnorth", "Row 1: “north” is not an angle"),
        ("Twill 400\t0\tattic", "There is no zone “attic”"),
        ("", "nothing to paste"),
    ],
)
def test_a_paste_that_cannot_be_read_changes_nothing(petal, stack, text, told):
    before = petal.session.job
    clip(text)
    stack.table.paste()
    assert petal.session.job == before
    assert told in petal.message.text()


def test_a_layer_is_noted_as_laid_and_taken_back(petal, stack, qtbot):
    type_into(qtbot, stack.by, "Mira")
    stack.table.setFocus()
    stack.table.choose(1)
    qtbot.keyClick(stack.table, Qt.Key.Key_Space)
    assert laid_layers(petal.session.journal)["L2"].by == "Mira"
    assert stack.table.text_at(1, 8).startswith("✓ Mira")
    qtbot.keyClick(stack.table, Qt.Key.Key_Space)
    assert laid_layers(petal.session.journal) == {}
    assert [e.kind for e in petal.session.journal] == ["laid", "unlaid"]  # nothing is rewritten


def test_figures_of_a_layer_and_where_it_ends(petal, stack, qtbot):
    stack.table.choose(2)
    assert "Layer 3: Foam 15" in stack.layer.words.text()
    type_into(qtbot, stack.layer.fields["bevel"], "30 mm")
    assert petal.session.job.stack[2].bevel == pytest.approx(0.03)
    stack.table.choose(5)
    type_into(qtbot, stack.layer.fields["runs_on"], "1 in")
    assert petal.session.job.stack[5].runs_on == pytest.approx(0.0254)
    assert not stack.layer.fields["bevel"].isEnabled()


def test_a_splice_and_an_own_shape_are_drawn_on_the_plan(petal, stack, qtbot):
    plan = stack.plan_bench.plan
    stack.table.choose(0)
    press(qtbot, stack.side, "Splice")
    assert stack.tabs.current is stack.plan_bench
    draw(qtbot, plan, (1.5, 0.4), (1.5, 1.1))
    (seam,) = petal.session.job.stack[0].seams
    assert seam.kind == "splice"
    assert seam.path[0] == pytest.approx((1.5, 0.4), abs=0.01)
    press(qtbot, stack.side, "Own shape")
    draw(qtbot, plan, (0.3, 0.5), (0.8, 0.5), (0.8, 0.9), (0.3, 0.9))
    layer = petal.session.job.stack[0]
    assert geometry.area(layer.outline) == pytest.approx(0.2, rel=0.03)
    assert stack.table.text_at(0, 3) == "own outline"
    qtbot.waitUntil(lambda: stack._thickness is not None and stack._thickness.job is petal.session.job)
    press(qtbot, stack.side, "Clear")
    assert petal.session.job.stack[0].outline is None


def into_cell(qtbot, table, row, column, text):
    """Type over a cell from the keyboard, and Return."""
    table.choose(row, column)
    qtbot.keyClick(table, Qt.Key.Key_F2)
    field = QApplication.focusWidget()
    (field.lineEdit() if isinstance(field, QComboBox) else field).selectAll()
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, Qt.Key.Key_Return)


@pytest.mark.parametrize(
    ("text", "zones"),
    [
        ("Foot flange", ("foot",)),
        ("Cored field + Foot flange", ("field", "foot")),
        ("everywhere", ()),
        ("foot flange", ("foot",)),
    ],
)
def test_where_a_layer_lies_is_typed_into_its_cell(petal, stack, qtbot, qtlog, text, zones):
    into_cell(qtbot, stack.table, 1, 3, text)
    assert petal.session.job.stack[1].zones == zones
    assert not petal.message.isVisible()
    assert [r.message for r in qtlog.records if "commitData" in r.message] == []


def test_a_zone_that_is_not_there_is_told_by_the_name_that_was_typed(petal, stack, qtbot):
    before = petal.session.job
    into_cell(qtbot, stack.table, 1, 3, "attic")
    assert "There is no zone “attic”" in petal.message.text()
    assert petal.session.job is before
    stack.table.choose(1, 3)
    qtbot.keyClick(stack.table, Qt.Key.Key_F2)
    box = QApplication.focusWidget()
    assert box.findText("attic") == -1  # what was wrong is not offered
    qtbot.keyClick(box, Qt.Key.Key_Escape)


def test_a_splice_of_one_point_is_not_drawn(petal, stack, qtbot):
    stack.table.choose(0)
    press(qtbot, stack.side, "Splice")
    before = petal.session.job
    draw(qtbot, stack.plan_bench.plan, (1.5, 0.4))
    assert "needs two points" in petal.message.text()
    assert petal.session.job is before


# -- the library


def open_library(stack):
    stack.tabs.go("Library")
    return stack.library


def row_of(view, label):
    return next(r for r in range(view.table.row_count()) if view.table.text_at(r, 0) == label)


def test_a_shipped_material_becomes_the_shops_own_and_back(petal, stack, qtbot):
    view = open_library(stack)
    view.choose("shop", "biax-600")
    type_cell(view.table, row_of(view, "areal mass"), 1, "18 oz/yd2")
    assert petal.session.own_materials["biax-600"].areal_mass == pytest.approx(0.6103, rel=1e-3)
    assert petal.session.job.materials["biax-600"].areal_mass == 0.6  # the job keeps its own copy
    press(qtbot, view, "Bring into the job")
    assert petal.session.job.materials["biax-600"].areal_mass == pytest.approx(0.6103, rel=1e-3)
    assert read_materials(petal.session.library_path)["biax-600"].areal_mass == pytest.approx(
        0.6103, rel=1e-3
    )
    view.choose("shop", "biax-600")
    press(qtbot, view, "Remove")
    assert petal.session.shelf["biax-600"].areal_mass == 0.6
    type_cell(view.table, row_of(view, "areal mass"), 1, "soft")
    assert "not an areal mass" in petal.message.text()


def test_the_jobs_copy_is_changed_and_kept_for_the_shop(petal, stack, qtbot):
    view = open_library(stack)
    view.choose("job", "foam-15-grooved")
    row = row_of(view, "hole size")
    type_cell(view.table, row, 1, "2.5 mm")
    assert petal.session.job.materials["foam-15-grooved"].hole_diameter == pytest.approx(0.0025)
    pick_cell(qtbot, view.table, row, 2, "measured")
    type_cell(view.table, row, 3, "calliper, Mira")
    told = petal.session.job.materials["foam-15-grooved"].about["hole_diameter"]
    assert (told.confidence, told.source) == ("measured", "calliper, Mira")
    press(qtbot, view, "Keep in the library")
    assert petal.session.own_materials["foam-15-grooved"].hole_diameter == pytest.approx(0.0025)
    petal.session.undo_stack.undo()
    assert (
        petal.session.job.materials["foam-15-grooved"].about.get("hole_diameter").source != "calliper, Mira"
    )


def test_materials_are_found_made_exported_and_imported(petal, stack, qtbot, tmp_path):
    view = open_library(stack)
    qtbot.keyClicks(view.search, "veil")
    assert view.material.name == "Surface veil 30"
    press(qtbot, view, "New from this")
    assert "fabric-own-1" in petal.session.own_materials
    type_into(qtbot, view.title, "Veil, mine")
    assert petal.session.own_materials["fabric-own-1"].name == "Veil, mine"
    view.search.clear()
    path = tmp_path / "shelf.csv"
    view.save(path)
    assert "materials are in shelf.csv" in petal.message.text()
    petal.session.keep_materials({})
    answered(qtbot, view.reader, lambda: view.load(path))
    assert petal.session.own_materials["fabric-own-1"].name == "Veil, mine"
    path.write_text("name,kind\nX,felt\n")
    before = petal.session.own_materials
    answered(qtbot, view.reader, lambda: view.load(path))
    assert "“felt” is no kind" in petal.message.text()
    assert petal.session.own_materials == before


def test_a_strip_test_is_pasted_fitted_and_kept(petal, stack, qtbot):
    view = open_library(stack)
    view.choose("shop", "weave-300")
    k, mu, phi, pull = 5e-11, 0.2, 0.5, 90_000.0
    strip = view.strip
    for name, text in (("pull", "900 mbar"), ("viscosity", "200 mPa.s"), ("porosity", "50 %")):
        type_into(qtbot, strip.fields[name], text)
    times = (60, 120, 240, 480, 720)
    rows = [(t, math.sqrt(2 * k * pull * t / (phi * mu)) * 1e3) for t in times]
    clip("time [s]\tfront [mm]\n" + "\n".join(f"{t}\t{x:.2f}" for t, x in rows))
    press(qtbot, strip, "Paste")
    assert strip.result.permeability == pytest.approx(k, rel=1e-3)
    assert "9 times in 10" in strip.words.text()
    press(qtbot, strip, "Take this permeability")
    weave = petal.session.own_materials["weave-300"]
    assert weave.k1 == pytest.approx(k, rel=1e-3)
    assert weave.k3 / weave.k1 == pytest.approx(2e-12 / 4e-11)
    assert weave.about["k1"].confidence == "measured"
    assert weave.about["k1"].low < weave.k1 < weave.about["k1"].high
    clip("1\t2\n2\tx")
    press(qtbot, strip, "Paste")
    assert "Row 2, column front" in petal.message.text()
    press(qtbot, strip, "Clear")
    assert strip.result is None


def test_a_resin_follows_its_data_sheet(petal, stack, qtbot):
    view = open_library(stack)
    view.choose("shop", "epoxy-slow")
    sheet = view.sheet
    type_into(qtbot, sheet.viscosities, "400 mPa.s at 20 °C, 160 mPa.s at 35 °C")
    type_into(qtbot, sheet.fields["gel"], "25 min")
    type_into(qtbot, sheet.fields["mass"], "100 g")
    with qtbot.waitSignal(sheet.fitted, timeout=30_000):
        press(qtbot, sheet, "Fit")
    fitted = petal.session.own_materials["epoxy-slow"]
    assert fitted.viscosity.energy > 0
    assert "Gel of the stated mass 25.0 min" in sheet.words.text()
    half = sheet.resin.viscosity.alpha_gel
    choose(sheet.cures, "a peroxide")
    with qtbot.waitSignal(sheet.fitted, timeout=30_000):
        press(qtbot, sheet, "Fit")
    assert sheet.resin.cures == "peroxide"
    assert sheet.resin.viscosity.alpha_gel < 0.2 * half
    type_into(qtbot, sheet.viscosities, "400 mPa.s")
    press(qtbot, sheet, "Fit")
    assert "lacks its temperature" in sheet.words.text()
    clip("0 min\t300 cP\n20 min\t450 cP\n40 min\t2 Pa.s")
    press(qtbot, sheet, "Paste points")
    assert petal.session.own_materials["epoxy-slow"].viscosity.values[-1] == pytest.approx(2.0)


def test_lists_are_shown_saved_and_copied(petal, stack, qtbot, tmp_path):
    stack.tabs.go("Lists")
    lists = stack.lists
    qtbot.waitUntil(lambda: len(lists.pages.pages) == 8)
    for kind, start in (("pdf", b"%PDF"), ("csv", b"order,")):
        answered(qtbot, petal.session.errands, lambda kind=kind: lists.save(kind, tmp_path / f"book.{kind}"))
        assert (tmp_path / f"book.{kind}").read_bytes().startswith(start)
    choose(lists.which, "Material totals")
    qtbot.waitUntil(lambda: len(lists.pages.pages) == 1)
    press(qtbot, lists, "Copy table")
    assert "Tarn 40 slow epoxy" in QGuiApplication.clipboard().text()
    answered(qtbot, petal.session.errands, lambda: lists.save("pdf", tmp_path / "no" / "where.pdf"))
    assert "could not be saved" in petal.message.text()


# -- the part


def test_corners_are_pasted_copied_and_rounded(petal, part, qtbot):
    table = part.outline.table
    clip("x [mm]\ty [mm]\n0\t0\n1000\t0\n1000\t600\n0\t600")
    press(qtbot, part.side, "Paste")
    assert geometry.area(petal.session.job.part.outline) == pytest.approx(0.6)
    type_into(qtbot, part.outline.radius, "100 mm")
    press(qtbot, part.side, "Round corners")
    assert geometry.area(petal.session.job.part.outline) == pytest.approx(0.6 - (4 - math.pi) * 0.01)
    qtbot.keyClick(table, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    qtbot.keyClick(table, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert geometry.area(petal.session.job.part.outline) == pytest.approx(
        0.6 - (4 - math.pi) * 0.01, rel=1e-4
    )
    before = petal.session.job
    for text, told in (("1 2\n3 4", "three corners"), ("0\t0\n1000\t600\n1000\t0\n0\t600", "crosses itself")):
        clip(text)
        press(qtbot, part.side, "Paste")
        assert told in petal.message.text()
    assert petal.session.job == before


def test_a_starter_makes_the_outline(petal, part, qtbot):
    box = part.outline
    k = box.starter.findText("Ring")
    box.starter.setCurrentIndex(k)
    box.starter.activated.emit(k)
    type_into(qtbot, box.sizes["outer_diameter"], "1 m")
    press(qtbot, part.side, "Make it")
    assert regions(petal.session.job.part).whole.area == pytest.approx(math.pi * (0.25 - 0.35**2), rel=1e-3)
    type_into(qtbot, box.sizes["inner_diameter"], "2 m")
    press(qtbot, part.side, "Make it")
    assert "smaller than the outer" in petal.message.text()


def test_the_mirror_part(petal, part, qtbot):
    mass = part_totals(petal.session.job).mass
    press(qtbot, part.side, "Mirror part")
    assert petal.session.job.part.mirror_copies == 8
    assert part_totals(petal.session.job).mass == pytest.approx(mass)


def test_zones_change_kind_and_are_combined(petal, part, qtbot):
    part.panels.go("Zones")
    panel = part.zones
    pick_cell(qtbot, panel.table, 1, 1, "no-mesh")
    assert "lies in Foot flange, a no-mesh zone" in petal.message.text()  # a ply lies there
    assert panel.table.text_at(1, 1) == "flange"
    panel.table.choose(0, 0)
    panel.other.setCurrentIndex(1)
    press(qtbot, part.side, "Do it")
    assert "in 2 pieces" in petal.message.text()
    type_into(qtbot, panel.distance, "40 mm")
    press(qtbot, part.side, "Zone around")
    assert [z.name for z in petal.session.job.part.zones] == [
        "Cored field edge",
        "Cored field",
        "Foot flange",
    ]
    assert isinstance(petal.session.job.part.zones[0].area, Drawn)
    panel.ply.setCurrentIndex(0)
    press(qtbot, part.side, "From ply")
    assert petal.session.job.part.zones[-1].name.startswith("Under Foam")
    panel.table.choose(1, 0)
    press(qtbot, part.side, "Up")
    assert petal.session.job.part.zones[1].name == "Cored field edge"
    type_cell(panel.table, 0, 3, "1.2")
    assert petal.session.job.part.zones[0].draw_factor == 1.2
    type_cell(panel.table, 0, 3, "0.2")
    assert petal.session.job.part.zones[0].draw_factor == 1.2
    assert petal.message.text()


def test_the_mould_and_its_corners(petal, part, qtbot):
    part.panels.go("Mould")
    panel = part.mould
    type_into(qtbot, panel.fields["depth"], "12 in")
    type_into(qtbot, panel.fields["mirror_copies"], "4")
    type_into(qtbot, panel.target, "12 kg")
    job = petal.session.job
    assert (job.part.depth, job.part.mirror_copies, job.part.target_mass) == (pytest.approx(0.3048), 4, 12.0)
    type_cell(panel.table, 0, 1, "5 mm")
    assert petal.session.job.part.corners[0].radius == pytest.approx(0.005)
    press(qtbot, part.side, "Draw corner")
    draw(qtbot, part.plan_bench.plan, (1.9, 0.6), (1.9, 0.9))
    assert len(petal.session.job.part.corners) == 2
    pick_cell(qtbot, panel.table, 1, 0, "outside")
    assert petal.session.job.part.corners[1].kind == "outside"
    panel.table.choose(1, 1)
    press(qtbot, part.side, "Remove corner")
    assert len(petal.session.job.part.corners) == 1
    type_into(qtbot, panel.target, "heavy")
    assert "is not a mass" in petal.message.text()


def test_an_outline_goes_out_and_comes_back_through_the_dialog(petal, part, qtbot, tmp_path, monkeypatch):
    path = tmp_path / "petal.dxf"
    answered(qtbot, petal.session.errands, lambda: part.outline.save(path))
    dialog = DrawingImport(read_drawing(path), part.outline.theme, "metric")
    qtbot.addWidget(dialog)
    assert dialog.ok.isEnabled()
    assert dialog.unit.currentText() == "mm"
    for k in range(dialog.layers.count()):
        dialog.layers.item(k).setCheckState(Qt.CheckState.Unchecked)
    assert not dialog.ok.isEnabled()
    assert "No layer is chosen" in dialog.words.text()
    k = next(k for k in range(dialog.layers.count()) if dialog.layers.item(k).text() == "OUTLINE")
    dialog.layers.item(k).setCheckState(Qt.CheckState.Checked)
    assert dialog.ok.isEnabled()
    monkeypatch.setattr(DrawingImport, "exec", lambda self: QDialog.DialogCode.Accepted)
    area = geometry.area(petal.session.job.part.outline)
    monkeypatch.setattr(import_dialog, "DrawingImport", lambda *_: dialog)
    part.outline._ask_drawing(dialog.drawing)
    assert petal.session.undo_stack.undoText() == "Import petal.dxf"
    assert geometry.area(petal.session.job.part.outline) == pytest.approx(area, rel=1e-6)
    (tmp_path / "bad.svg").write_text("<svg")
    answered(qtbot, part.outline.reader, lambda: part.outline.load(tmp_path / "bad.svg"))
    assert "The part stays as it was." in petal.message.text()
    part.outline.save(tmp_path / "x.png")
    assert "written as .dxf or .svg" in petal.message.text()


def test_a_mould_surface_is_imported_turned_and_taken_as_flat(petal, part, qtbot, tmp_path, monkeypatch):
    x, y = np.meshgrid(np.linspace(0, 1, 12), np.linspace(0, 0.6, 9), indexing="ij")
    points = np.column_stack([x.ravel(), y.ravel(), 0.2 * np.sin(np.pi * x.ravel())])
    i = np.arange(108).reshape(12, 9)
    a, b, c, d = i[:-1, :-1].ravel(), i[1:, :-1].ravel(), i[1:, 1:].ravel(), i[:-1, 1:].ravel()
    faces = np.vstack([np.column_stack([a, b, c]), np.column_stack([a, c, d])])
    trimesh.Trimesh(points * 1e3, faces, process=False).export(tmp_path / "lid.stl")
    dialog = MeshImport(read_mesh(tmp_path / "lid.stl"), part.outline.theme, "metric")
    qtbot.addWidget(dialog)
    qtbot.waitUntil(lambda: dialog.ok.isEnabled())
    assert "on the mould" in dialog.words.text()
    assert dialog.ok.isDefault()
    assert dialog.taken[0].laid == "unrolled"
    choose(dialog.laid, "seen from above")
    qtbot.waitUntil(lambda: dialog.ok.isEnabled() and dialog.taken[0].laid == "above")
    assert "lengths are up to 15 % short" in dialog.words.text()  # 32° at its ends: cos is 0.85
    choose(dialog.laid, "unrolled")
    qtbot.waitUntil(lambda: dialog.ok.isEnabled() and dialog.taken[0].laid == "unrolled")
    assert "lengths on the plan are true" in dialog.words.text()
    monkeypatch.setattr(MeshImport, "exec", lambda self: QDialog.DialogCode.Accepted)
    monkeypatch.setattr(import_dialog, "MeshImport", lambda *_: dialog)
    part.outline._ask_mesh(dialog.raw)
    dialog.done(0)
    surface = petal.session.job.part.surface
    assert surface is not None
    assert part.solid.isVisible()
    assert (
        part.solid.geometry().top() > part.plan_bench.geometry().bottom()
    )  # a part that lies leaves room below
    before = part.solid.round_
    qtbot.keyClick(part.solid, Qt.Key.Key_Right)
    assert part.solid.round_ != before
    assert part_totals(petal.session.job).area == pytest.approx(lift_onto(surface).area, rel=2e-3)
    part.panels.go("Mould")
    press(qtbot, part.side, "Take it as flat")
    assert petal.session.job.part.surface is None
    assert not part.solid.isVisible()


def test_ways_to_make_it_follow_the_rates(petal, part, qtbot):
    part.tabs.go("Ways to make it")
    routes = part.routes
    qtbot.waitUntil(lambda: len(routes.costs) == 4)
    assert "is the cheapest" in routes.words.text()
    with qtbot.waitSignal(routes.later.ready, timeout=5000):
        type_into(qtbot, routes.fields["quantity"], "400")
    assert routes.costs[0].quantity == 400
    with qtbot.waitSignal(routes.later.ready, timeout=5000):
        routes.faces.setCurrentText("2")
        routes.faces.activated.emit(1)
    assert routes.table.text_at(3, 7) == "1, too few"


def test_variants_are_kept_compared_taken_and_removed(petal, part, qtbot):
    part.tabs.go("Variants")
    view = part.variants
    press(qtbot, view, "Keep this plan as a variant")
    assert petal.session.job.variants[0].name == "Plan 1"
    qtbot.waitUntil(lambda: len(view.rows) == 2 and not view.later.busy, timeout=30_000)
    assert view.table.text_at(1, 3) == view.table.text_at(0, 3)
    type_cell(view.table, 1, 0, "Heavy one")
    assert petal.session.job.variants[0].name == "Heavy one"
    qtbot.waitUntil(lambda: not view.later.busy, timeout=30_000)
    press(qtbot, view, "Go on with the chosen one")
    assert "Choose a variant" in petal.message.text()
    view.table.choose(1, 0)
    press(qtbot, view, "Go on with the chosen one")
    assert petal.session.job.variants[0].name == "As it was"
    qtbot.waitUntil(lambda: view.rows[1].name == "As it was" and not view.later.busy, timeout=30_000)
    view.table.choose(1, 0)
    press(qtbot, view, "Remove the chosen one")
    assert petal.session.job.variants == ()
    assert trace(petal.session.job.part.outline).shape[1] == 2


# -- what can be seen without scrolling


@pytest.mark.parametrize("page", ["Outline", "Zones"])
def test_the_side_panel_shows_all_of_a_short_table_and_its_buttons(petal, part, page, qtbot):
    petal.resize(1280, 800)
    tabs = next(t for t in petal.findChildren(Tabs) if page in t.names)
    press(qtbot, tabs, page)
    area = tabs.parentWidget()
    while not isinstance(area, QScrollArea):
        area = area.parentWidget()
    qtbot.waitUntil(lambda: area.verticalScrollBar().maximum() == 0)
    table = tabs.current.findChild(Table)
    qtbot.waitUntil(lambda: table.horizontalScrollBar().maximum() == 0)


def test_names_of_zones_are_written_over_every_line_of_the_plan(petal, part):
    plan = part.plan_bench.plan
    items = list(plan.items(plan.look(), 700.0, 600.0))
    name = next(k for k, i in enumerate(items) if isinstance(i, Label) and i.text.startswith("Foot flange"))
    shapes = [k for k, i in enumerate(items[:-4]) if not isinstance(i, Label)]  # the scale bar comes last
    assert name > max(k for k in shapes if isinstance(items[k], Area))
