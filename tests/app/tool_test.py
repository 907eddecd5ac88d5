"""The real command line on the demo data: exit status, text, and JSON held against its schemas.

Usage: tool_test.py AGUJA SOURCE_DIR
"""

import json
import math
import os
import pathlib
import re
import shutil
import signal
import struct
import subprocess
import sys
import tempfile
import time
import unittest
import xml.etree.ElementTree

import jsonschema

TOOL = str(pathlib.Path(sys.argv[1]).resolve())
SOURCE = pathlib.Path(sys.argv[2]).resolve()


def run(*arguments, **options):
    return subprocess.run([TOOL, *map(str, arguments)], capture_output=True, text=True, timeout=120, **options)


def without_facts(report):
    return {key: value for key, value in report.items() if key not in ("timings", "peak_bytes")}


class ToolTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = pathlib.Path(tempfile.mkdtemp(prefix="aguja-tool-"))
        made = run("demo", cls.folder, "--json")
        assert made.returncode == 0, made.stderr
        cls.demo = json.loads(made.stdout)
        kinds = json.loads(run("inspect", "--explain", "all", "--json").stdout)["kinds"]
        cls.severity = {kind["kind"]: kind["severity"] for kind in kinds}

    @classmethod
    def tearDownClass(cls):
        shutil.rmtree(cls.folder)

    def report(self, *arguments, status=0):
        result = run(*arguments, "--json")
        self.assertIn(result.returncode, (0, 1) if status is None else (status,), result.stderr)
        report = json.loads(result.stdout)
        name = report["schema"]["name"].removeprefix("aguja.")
        schema = json.loads((SOURCE / "docs" / "schema" / f"{name}.schema.json").read_text())
        jsonschema.Draft202012Validator.check_schema(schema)
        jsonschema.validate(report, schema, jsonschema.Draft202012Validator)
        return report

    # ---- every command on the demo data

    def test_inspect_finds_what_the_records_say(self):
        for files in self.demo["files"]:
            record = json.loads(pathlib.Path(files["record"]).read_text())
            errors = [d for d in record["defects"] if self.severity[d["kind"]] == "error"]
            if record["tear"]:
                continue
            report = self.report("inspect", files["model"], status=1 if errors else 0)
            self.assertEqual(sorted(f["kind"] for f in report["findings"]),
                             sorted(d["kind"] for d in record["defects"]), files["model"])
            for stage in ("read", "weld", "edges", "total"):
                self.assertIn(stage, report["timings"])
            self.assertGreater(report["peak_bytes"], 1000000)

    def test_records_and_demo_follow_their_schemas(self):
        schema = json.loads((SOURCE / "docs/schema/demo-record.schema.json").read_text())
        for files in self.demo["files"]:
            jsonschema.validate(json.loads(pathlib.Path(files["record"]).read_text()), schema)
        self.report("demo", self.folder, "--overwrite")

    def test_certify_says_solid_with_the_closed_form_volume(self):
        record = json.loads((self.folder / "garza.json").read_text())
        report = self.report("certify", self.folder / "garza.obj", status=0)
        self.assertEqual(report["verdict"], "solid")
        self.assertTrue(report["solid"])
        self.assertEqual(report["crossings"], {"crossing": 0, "overlap": 0, "touch": 0, "more": False})
        self.assertAlmostEqual(report["volume"] / record["volume"], 1, delta=1e-9)
        digest = subprocess.run(["sha256sum", self.folder / "garza.obj"], capture_output=True, text=True)
        self.assertEqual(report["digest"], "sha256:" + digest.stdout.split()[0])

    def test_certify_refutes_every_model_with_an_error(self):
        for files in self.demo["files"]:
            # A lost piece is a warning to an engineer, but no part of a solid either.
            status = 1 if "strays" in files["model"] else run("inspect", files["model"], "--quiet").returncode
            verdict = self.report("certify", files["model"], status=status)["verdict"]
            self.assertEqual(verdict, "not-solid" if status == 1 else "solid", files["model"])

    def test_stitch_makes_solids_of_torn_models_and_compare_measures_it(self):
        torn = 0
        for files in self.demo["files"]:
            record = json.loads(pathlib.Path(files["record"]).read_text())
            tear = record["tear"]
            if not tear:
                continue
            out = self.folder / ("stitched-" + pathlib.Path(files["model"]).name)
            extra = ["--as-one"] if tear["as_one"] else []
            report = self.report("stitch", files["model"], "--tolerance", f"{tear['stitch_tolerance']}mm",
                                 "-o", out, "--overwrite", *extra)
            self.assertEqual(report["certificate"]["verdict"], "solid", files["model"])
            self.assertEqual(report["still_open"], [])
            self.assertLessEqual(report["largest_movement"], tear["stitch_tolerance"])
            area = report["certificate"]["area"]
            self.assertAlmostEqual(report["certificate"]["volume"], record["volume"], delta=tear["width"] * area)
            digest = subprocess.run(["sha256sum", out], capture_output=True, text=True).stdout.split()[0]
            self.assertEqual(report["certificate"]["digest"], "sha256:" + digest)
            torn += 1
            if "1-to-" in files["model"]:
                continue
            deviation = self.report("compare", files["model"], out)["deviation"]
            for way in ("a_to_b", "b_to_a"):
                self.assertLessEqual(deviation[way]["largest"], tear["stitch_tolerance"])
            self.assertEqual(run("compare", files["model"], out, "--within", "1e-9mm").returncode, 1)
        self.assertGreaterEqual(torn, 6)

    def test_boolean_adds_up_and_names_what_is_no_solid(self):
        pod, bar = self.folder / "pod.stl", self.folder / "bar.obj"
        ribs = self.folder / "plate-ribs.stl"
        bar.write_text("o bar\n" + "".join(f"v {x} {y} {z}\n" for z in (100, 110) for y in (-5, 5) for x in (-99, 99))
                       + "f 1 3 4 2\nf 5 6 8 7\nf 1 2 6 5\nf 3 7 8 4\nf 1 5 7 3\nf 2 4 8 6\n")
        volume = {}
        for operation in ("union", "difference", "intersection"):
            out = self.folder / f"{operation}.ply"
            report = self.report("boolean", operation, pod, bar, "-o", out, "--overwrite")
            self.assertEqual(report["certificate"]["verdict"], "solid")
            self.assertEqual(report["rounding"]["refused"], 0)
            volume[operation] = report["certificate"]["volume"]
            self.assertAlmostEqual(sum(p["volume"] for p in report["pieces"]), volume[operation], delta=1e-3)
        whole, bars = (o["volume"] for o in report["operands"])
        self.assertAlmostEqual(volume["union"], whole + bars - volume["intersection"], delta=1e-3)
        self.assertAlmostEqual(volume["difference"], whole - volume["intersection"], delta=1e-3)
        # One file: its parts.
        report = self.report("boolean", "union", self.folder / "garza.obj", "--parts", "pod,lid", "--dry-run")
        self.assertEqual([o["part"] for o in report["operands"]], ["pod", "lid"])
        # What is no solid is named.
        crossing = self.report("boolean", "union", ribs, bar, "--dry-run", status=1)
        self.assertIn("more than once", crossing["operands"][0]["problem"])
        self.assertIsNone(crossing["certificate"])
        resolved = self.report("boolean", "union", ribs, bar, "--dry-run", "--resolve-first")
        self.assertAlmostEqual(resolved["certificate"]["volume"], 5440 + bars, delta=1e-6)
        missing = self.report("boolean", "union", self.folder / "pod-missing-triangles.stl", bar, "--dry-run", status=1)
        self.assertEqual(missing["operands"][0]["problem"], "its surface is open")
        for wrong in (("sum", pod, bar, "--dry-run"), ("union", pod, "--dry-run"), ("union", pod, bar),
                      ("union", pod, bar, "--parts", "a,b", "--dry-run"),
                      ("union", self.folder / "garza.obj", "--parts", "pod,nothing", "--dry-run")):
            self.assertEqual(run("boolean", *wrong).returncode, 2, wrong)

    def test_cut_caps_pieces_and_tells_sections(self):
        pod, garza = self.folder / "pod.stl", self.folder / "garza.obj"
        out, drawing = self.folder / "halves.obj", self.folder / "half.svg"
        report = self.report("cut", pod, "--by", "x=0", "-o", out, "--sections", drawing)
        self.assertEqual(report["certificate"]["verdict"], "solid")
        whole = report["operands"][0]["volume"]
        halves = {p["part"]: p["volume"] for p in report["pieces"]}
        self.assertEqual(set(halves), {"pod below x=0", "pod above x=0"})
        for volume in halves.values():
            self.assertAlmostEqual(volume, whole / 2, delta=1e-6 * whole)
        section = report["sections"][0]
        self.assertAlmostEqual(section["area"], sum(o["area"] for o in section["outlines"]), delta=1e-9)
        self.assertLess(report["off_plane"], 1e-9)
        root = xml.etree.ElementTree.parse(drawing).getroot()
        self.assertTrue(root.tag.endswith("svg"))
        self.assertEqual(len(root.findall(".//{*}path")), 1)
        # Both halves again: the union is the pod.
        again = self.report("boolean", "union", out, "--dry-run")
        self.assertAlmostEqual(again["certificate"]["volume"], whole, delta=1e-6 * whole)
        # Slabs of a ring by two planes; of its section by a plane along its face there is none.
        lines = self.folder / "ring.vtp"
        report = self.report("cut", garza, "--by", "z=60mm", "--by", "plane:0,0,66,0,0,2", "--keep", "above", "--dry-run",
                             "--sections", lines)
        self.assertIn("lid", {p["part"] for p in report["pieces"]})
        self.assertIn("pod below z=60mm", report["left_out"])
        self.assertIn("PolyData", lines.read_text())
        inside = self.report("cut", pod, "--by", "box:0,0,0,60,60,150", "--keep", "inside", "--dry-run")
        self.assertAlmostEqual(inside["certificate"]["volume"], whole / 4, delta=1e-6 * whole)
        outline = self.report("cut", pod, "--by", "outline:0,0,0,90,0,0,0,90,0", "--keep", "inside", "--dry-run",
                              "--along", "0,0,1")
        self.assertAlmostEqual(outline["certificate"]["volume"], whole / 4, delta=1e-6 * whole)
        # Open models are cut open, and said to be.
        missing = self.folder / "pod-missing-triangles.stl"
        refused = self.report("cut", missing, "--by", "z=60", "--dry-run", status=1)
        self.assertIn("open", refused["troubles"][0]["text"])
        self.assertIsNone(refused["certificate"])
        self.report("cut", missing, "--by", "z=60", "--open", "-o", self.folder / "open.stl", "--keep", "above")
        for wrong in (("--by", "x"), ("--by", "x=0", "--keep", "inside"), ("--by", "box:0,0,0,0,1,1"), ("--by", "patch:none"),
                      ("--by", "outline:0,0,0,1,1,0"), ("--by", "plane:0,0,0,0,0,0"), ()):
            self.assertEqual(run("cut", pod, "--dry-run", *wrong).returncode, 2, wrong)
        self.assertEqual(run("cut", pod, "--by", "x=0", "-o", self.folder / "two.stl").returncode, 2)
        # As a step of a plan.
        plan = self.folder / "cut-plan.toml"
        plan.write_text('format = "aguja-plan"\nversion = 1\ntolerance = "0.01mm"\n[[steps]]\nremedy = "cut"\nx = "0 mm"\n'
                        'keep = "below"\n[[steps]]\nremedy = "cut"\ncorners = [-90, -90, 20, 90, 90, 40]\n')
        mended = self.report("mend", pod, "--plan", plan, "-o", self.folder / "half.ply")
        self.assertAlmostEqual(mended["certificate"]["volume"], whole / 2, delta=1e-6 * whole)
        self.assertEqual(mended["certificate"]["counts"]["crossing_pairs"], 0)

    def test_offset_makes_walls_and_measures_them(self):
        pod, sheet = self.folder / "pod.stl", self.folder / "box-sheet.stl"
        out = self.folder / "hollow.obj"
        report = self.report("offset", pod, "--thickness", "1mm", "-o", out)
        self.assertEqual(report["certificate"]["verdict"], "solid")
        wall = report["thickness"]
        self.assertEqual(wall["asked"], 1)
        self.assertGreater(wall["least"], 0.99)
        self.assertAlmostEqual(wall["mean"], 1, delta=0.01)
        self.assertGreater(wall["kept"], 0.99)
        area = self.report("measure", pod)["total"]["area"]
        self.assertAlmostEqual(report["certificate"]["volume"], area, delta=0.01 * area)
        both = self.report("offset", sheet, "--thickness", "0.04in", "--side", "both", "--dry-run")
        self.assertFalse(both["walls"][0]["was_closed"])
        self.assertAlmostEqual(both["thickness"]["least"], 1.016, delta=1e-6)
        whole = report["operands"][0]["volume"]
        larger = self.report("offset", pod, "--thickness", "1mm", "--side", "out", "--whole", "--dry-run")
        self.assertIsNone(larger["thickness"])
        self.assertAlmostEqual(larger["certificate"]["volume"], whole + area, delta=0.02 * area)
        smaller = self.report("offset", pod, "--thickness", "20mm", "--whole", "--dry-run", status=1)
        self.assertIn("nothing is left", smaller["walls"][0]["problem"])
        flipped = self.report("offset", self.folder / "pod-flipped-patch.stl", "--thickness", "1mm", "--dry-run", status=1)
        self.assertIn("orient", flipped["walls"][0]["problem"])
        for wrong in (("--thickness", "0mm"), ("--thickness", "-1mm"), (), ("--thickness", "1mm", "--side", "left"),
                      ("--thickness", "1mm", "--mitre", "1"), ("--thickness", "1mm", "--whole", "--side", "both")):
            self.assertEqual(run("offset", pod, "--dry-run", *wrong).returncode, 2, wrong)
        plan = self.folder / "offset-plan.toml"
        plan.write_text('format = "aguja-plan"\nversion = 1\ntolerance = "0.01mm"\n[[steps]]\nremedy = "offset"\n'
                        'thickness = "1 mm"\nside = "in"\n')
        mended = self.report("mend", pod, "--plan", plan, "-o", self.folder / "hollow.ply")
        self.assertAlmostEqual(mended["certificate"]["volume"], report["certificate"]["volume"], delta=1e-6 * area)

    def test_stitch_proposes_dry_runs_and_refuses(self):
        model = self.folder / "pod-cracked.stl"
        dry = self.report("stitch", model, "--dry-run")
        self.assertIsNone(dry["output"])
        self.assertIsNone(dry["certificate"]["digest"])
        self.assertIn("proposed", dry["tolerance_why"])
        self.assertLess(dry["tolerance"], 0.04)
        self.assertEqual(dry["naked_after"], 0)
        proposal = self.report("inspect", model, status=1)["proposed_tolerance"]
        self.assertEqual(proposal["value"], dry["tolerance"])
        open_still = self.report("stitch", model, "--dry-run", "--tolerance", "1e-6mm", status=1)
        self.assertEqual(open_still["naked_after"], open_still["naked_before"])
        self.assertGreater(len(open_still["still_open"]), 0)
        # Rounding on writing is movement: a budget below the spacing of floats refuses binary STL.
        double = self.folder / "double.obj"
        self.report("convert", self.folder / "garza.obj", "-o", double, "--scale", "1.1")
        refused = run("stitch", double, "--tolerance", "1e-9mm", "-o", self.folder / "rounded.stl")
        self.assertEqual(refused.returncode, 2)
        self.assertIn("would round points by up to", refused.stderr)
        self.assertFalse((self.folder / "rounded.stl").exists())
        self.assertEqual(run("stitch", model).returncode, 2)
        self.assertEqual(run("stitch", model, "-o", model).returncode, 2)
        self.assertEqual(run("stitch", model, "--dry-run", "--tolerance", "-1mm").returncode, 2)
        self.assertEqual(run("compare", model, self.folder / "nothing.stl").returncode, 3)

    # ---- surface models

    def test_surface_models_are_certified_measured_and_inspected_in_terms_of_their_source(self):
        pod = self.report("certify", self.folder / "pod.step", "--chord", "0.02mm", "--facet-angle", "10deg")
        record = json.loads((self.folder / "pod.step.json").read_text())
        self.assertEqual(pod["verdict"], "solid")
        self.assertLessEqual(abs(pod["volume"] - record["volume"]), 0.02 * pod["area"])
        self.assertEqual(pod["surface"]["closed_shells"], 2)
        self.assertEqual(pod["surface"]["edges_used_once"], 0)
        self.assertLessEqual(pod["surface"]["chord_height"], 0.02)
        for name in ("pod.iges", "clamp.iges", "clamp.step", "clamp-unsewn.step"):
            self.assertEqual(self.report("certify", self.folder / name)["verdict"], "solid", name)
        unsewn = self.report("inspect", self.folder / "clamp-unsewn.step")
        self.assertEqual([f["kind"] for f in unsewn["findings"]], ["unshared-edge"])
        self.assertEqual(self.report("inspect", self.folder / "clamp-unsewn.step", "--sew", "0")["surface"]["edges_used_once"], 44)
        turned = self.report("inspect", self.folder / "clamp-reversed-face.step")["findings"]
        self.assertEqual([f["kind"] for f in turned], ["reversed-face"])
        self.assertIsNotNone(turned[0]["entity"])
        self.assertIn("open-loop", [f["kind"] for f in self.report("inspect", self.folder / "clamp-open-loop.step", status=1)["findings"]])
        self.assertIn("tolerances in mm", run("measure", self.folder / "clamp.step", "--tolerances").stdout)
        self.assertEqual(run("measure", self.folder / "pod.stl", "--tolerances").returncode, 2)

    def test_several_files_of_surfaces_are_one_model_with_all_that_is_known_of_them(self):
        files = [self.folder / name for name in ("clamp.step", "clamp-open-loop.step", "pod.stl")]
        apart = [self.report("inspect", file, status=None) for file in files]
        # The clamp is in two of them.
        one = self.report("inspect", *files, "--parts-apart", status=1)
        self.assertEqual(one["surface"]["faces"], sum(r["surface"]["faces"] for r in apart[:2]))
        self.assertEqual([f["file"] for f in one["surface"]["files"]], [str(f) for f in files[:2]])
        kinds = lambda report: sorted(f["kind"] for f in report["findings"] if f["part"])
        self.assertEqual(kinds(one), sorted(sum((kinds(r) for r in apart), [])))
        self.assertEqual(self.report("certify", *files, status=None)["surface"]["files"][0]["file"], str(files[0]))

    def test_every_command_finds_the_same_of_a_surface_model(self):
        file = self.folder / "clamp-open-loop.step"
        found = self.report("inspect", file, status=1)["findings"]
        self.assertIn("open-loop", [f["kind"] for f in found])
        out = self.folder / "open-loop.vtp"
        self.assertEqual(self.report("show", file, "-o", out)["findings"], len(found))
        before = self.report("mend", file, "--dry-run", status=None)["before"]["severities"]
        self.assertEqual(before["error"], sum(f["severity"] == "error" for f in found))
        self.report("convert", file, "--findings", "-o", self.folder / "groups.obj")
        self.assertIn("open-loop-", (self.folder / "groups.obj").read_text())

    def test_surface_models_are_stitched_mended_and_converted_to_meshes(self):
        gaps, out = self.folder / "clamp-gaps.step", self.folder / "clamp.ply"
        self.assertEqual(self.report("certify", gaps, status=1)["verdict"], "not-solid")
        stitched = self.report("stitch", gaps, "--tolerance", "0.1mm", "-o", out, "--overwrite")
        self.assertEqual(stitched["certificate"]["verdict"], "solid")
        record = json.loads((self.folder / "clamp-gaps.step.json").read_text())
        self.assertAlmostEqual(stitched["certificate"]["volume"], record["volume"], delta=0.005 * record["volume"])
        mended = self.report("mend", self.folder / "clamp-missing-face.step", "-o", out, "--overwrite")
        self.assertTrue(mended["solid"])
        self.assertTrue(mended["ledger"][0]["method"].startswith("flat"))
        self.report("convert", self.folder / "clamp.step", "-o", out, "--overwrite")
        self.assertLessEqual(self.report("compare", self.folder / "clamp.step", out)["deviation"]["a_to_b"]["largest"], 1e-9)
        refused = run("convert", self.folder / "clamp.step", "-o", self.folder / "again.iges")
        self.assertEqual(refused.returncode, 2)
        self.assertIn("read, not written", refused.stderr)

    def test_surfaces_are_written_into_step_as_surfaces(self):
        out = self.folder / "written.step"
        for name in ("clamp.iges", "pod.step", "clamp-unsewn.step"):
            was = self.report("certify", self.folder / name, status=None)
            self.report("convert", self.folder / name, "-o", out, "--overwrite")
            now = self.report("certify", out)
            self.assertEqual(now["verdict"], "solid")
            self.assertEqual(now["surface"]["faces"], was["surface"]["faces"])
            self.assertEqual(now["surface"]["edges_used_once"], 0)
            self.assertAlmostEqual(now["volume"], was["volume"], delta=1e-4 * was["volume"])
        mended = self.report("mend", self.folder / "clamp-missing-face.step", "--accept", "opening", "-o", out, "--overwrite")
        self.assertTrue(mended["solid"])
        self.assertEqual(mended["ledger"][0]["faces"], {"kept": True, "dropped": 0, "turned": 0, "added": 1, "divided": 0, "apart": 0})
        self.assertEqual(mended["write_notes"], [])
        whole = json.loads((self.folder / "clamp-missing-face.step.json").read_text())
        certified = self.report("certify", out)
        self.assertEqual(certified["surface"]["faces"], 10)
        self.assertAlmostEqual(certified["surface"]["volume"], whole["volume"], delta=1e-6 * whole["volume"])
        plan = self.folder / "one-triangle.toml"
        plan.write_text('format = "aguja-plan"\nversion = 1\ntolerance = "0.001 mm"\n'
                        '[[steps]]\nremedy = "delete"\ntriangles = "7"\n')
        torn = self.report("mend", self.folder / "clamp.step", "--plan", plan, "-o", out, "--overwrite", status=None)
        self.assertFalse(torn["ledger"][0]["faces"]["kept"])
        self.assertIn("written as facets, since it is a mesh: 'clamp'", " ".join(torn["write_notes"]))
        moved = self.folder / "moved.step"
        self.report("convert", self.folder / "clamp.step", "--turn", "z,90deg", "--to-unit", "in", "-o", moved, "--overwrite")
        self.assertEqual(self.report("certify", moved)["surface"]["faces"], 10)
        self.report("convert", self.folder / "clamp.stl" if (self.folder / "clamp.stl").exists() else out, "--tessellated", "-o", moved, "--overwrite")
        self.assertIn("AP242", moved.read_text()[:400])
        self.assertEqual(run("certify", self.folder / "clamp.step", "--chord", "0").returncode, 2)

    # ---- mend

    def test_mend_makes_solids_of_the_known_volume_and_says_what_waits(self):
        solids = 0
        for files in self.demo["files"]:
            record = json.loads(pathlib.Path(files["record"]).read_text())
            if "1-to-" in files["model"] or not record["defects"]:
                continue
            out = self.folder / ("mended-" + pathlib.Path(files["model"]).stem + ".ply")
            arguments = ["mend", files["model"], "--accept", "all", "-o", out, "--overwrite", "--json"]
            done = run(*arguments)
            self.assertIn(done.returncode, (0, 1), done.stderr)
            report = self.report(*arguments[:-1], status=done.returncode)
            self.assertEqual(report["solid"] and report["large_refusals"] == 0, done.returncode == 0)
            for change in report["sizes"]:
                self.assertTrue(change["before"] and change["after"], files["model"])
            # Caps over borders that overlap say little of a volume.
            if "box-lapped" not in files["model"]:
                self.assertEqual(report["unexplained"], [], files["model"])
            for count in ("naked_edges", "nonmanifold_edges", "winding_conflicts", "zero_area", "crossing_pairs"):
                self.assertLessEqual(report["after"]["counts"][count], report["before"]["counts"][count], files["model"])
            self.assertLessEqual(report["deviation"]["largest"], report["tolerance"] * (1 + 1e-9), files["model"])
            if report["solid"]:
                solids += 1
                digest = subprocess.run(["sha256sum", out], capture_output=True, text=True).stdout.split()[0]
                self.assertEqual(report["certificate"]["digest"], "sha256:" + digest)
                if record["volume"]:
                    self.assertAlmostEqual(report["certificate"]["volume"], record["volume"],
                                           delta=5e-3 * abs(record["volume"]), msg=files["model"])
            else:
                self.assertTrue(report["still_open"], files["model"])
                self.assertTrue(all(f["because"] for f in report["still_open"]))
        self.assertGreaterEqual(solids, 18)

    def test_mend_asks_before_it_decides_and_its_plan_can_be_edited_and_run(self):
        model, plan, out = self.folder / "pod-missing-triangles.stl", self.folder / "plan.toml", self.folder / "mended.stl"
        first = self.report("mend", model, "--dry-run", "--write-plan", plan, status=1)
        self.assertEqual([step["remedy"] for step in first["proposed"]], ["fill", "fill"])
        self.assertFalse(first["solid"])
        text = plan.read_text()
        self.assertEqual(text.count("\non = false"), 2)
        plan.write_text(text.replace("\non = false", "\non = true", 1))
        half = self.report("mend", model, "--plan", plan, "-o", out, "--overwrite", status=1)
        self.assertEqual(half["after"]["counts"]["naked_edges"], 6)
        plan.write_text(text.replace("\non = false", "\non = true"))
        states = self.folder / "states"
        whole = self.report("mend", model, "--plan", plan, "-o", out, "--overwrite", "--states", states)
        self.assertTrue(whole["solid"])
        self.assertEqual(len(list(states.iterdir())), 2)
        self.assertEqual(self.report("certify", out)["volume"], whole["certificate"]["volume"])
        until = self.report("mend", model, "--plan", plan, "--dry-run", "--until", "1", status=1)
        self.assertEqual(until["after"]["counts"]["naked_edges"], 6)
        # A step that does nothing is no success, whatever the verdict.
        idle = self.folder / "idle.toml"
        idle.write_text('format = "aguja-plan"\nversion = 1\n[[steps]]\nremedy = "drop"\nbox = [[900, 900, 900], ["1 m", 1000, 1000]]\n')
        report = self.report("mend", self.folder / "pod.stl", "--plan", idle, "--dry-run", status=1)
        self.assertTrue(report["solid"])
        self.assertEqual(report["idle_plan_steps"], 1)
        self.assertEqual(report["ledger"][0]["refused"][0]["detail"], "it selects nothing")
        # Nor is one that says nothing about what, or names places where no vertex is.
        for step, why in (('"copy"\nfrom = [0, 0, 0]\nto = [9, 0, 0]', "does not say"),
                          ('"move"\nat = [[900, 0, 0]]\nby = [1, 0, 0]', "no vertex is within")):
            idle.write_text(f'format = "aguja-plan"\nversion = 1\n[[steps]]\nremedy = {step}\n')
            report = self.report("mend", self.folder / "pod.stl", "--plan", idle, "--dry-run", status=1)
            self.assertEqual(report["idle_plan_steps"], 1)
            self.assertIn(why, report["ledger"][0]["refused"][0]["detail"])
        # A plan is for the file that it was made for.
        self.assertEqual(run("mend", self.folder / "pod.stl", "--plan", plan, "--dry-run").returncode, 2)
        broken = self.folder / "broken.toml"
        broken.write_text(text.replace("remedy = 'fill'", "remedy = 'fil'", 1))
        refused = run("mend", model, "--plan", broken, "--dry-run")
        self.assertEqual(refused.returncode, 3)
        self.assertIn("the nearest is 'fill'", refused.stderr)
        self.assertEqual(run("mend", model, "--accept", "openning", "--dry-run").returncode, 2)
        self.assertEqual(run("mend", model).returncode, 2)

    def test_convert_explains_every_format_as_it_treats_them(self):
        formats = self.report("convert", "--explain", "all")["formats"]
        for f in formats:
            self.assertTrue(run("convert", "--explain", f["format"]).stdout.startswith(f"{f['format']}: {f['name']}, .{f['format']}"))
            out = self.folder / f"explained.{f['extensions'][-1]}"
            done = run("convert", self.folder / "pod.stl", "-o", out, "--overwrite")
            self.assertEqual(done.returncode, 0 if f["written"] else 2, done.stderr)
            if f["written"]:
                back = self.report("inspect", out, status=None)
                self.assertEqual(back["counts"]["triangles"], self.report("inspect", self.folder / "pod.stl", status=None)["counts"]["triangles"])
                self.assertTrue(f["read"])
        self.assertIn("the nearest is 'step'", run("convert", "--explain", "stepp").stderr)
        self.assertIn("--explain", run("convert").stderr)
        self.assertEqual(run("convert", self.folder / "pod.stl").returncode, 2)

    def test_mend_explains_every_remedy(self):
        remedies = self.report("mend", "--explain", "all")["remedies"]
        self.assertGreaterEqual(len(remedies), 21)
        for remedy in remedies:
            self.assertTrue(run("mend", "--explain", remedy["remedy"]).stdout.startswith(remedy["remedy"] + ": "))
        self.assertIn("the nearest is 'stitch'", run("mend", "--explain", "stich").stderr)

    def test_mend_tries_every_method_for_one_opening_and_takes_one(self):
        model, page = self.folder / "pod-missing-triangles.stl", self.folder / "try.html"
        opening = self.report("inspect", model, status=1)["findings"][0]["id"]
        tried = self.report("mend", model, "--try", opening, "--page", page, "--overwrite")
        methods = {m["method"]: m for m in tried["methods"]}
        self.assertEqual(set(methods), {"flat", "extend", "fair", "crease", "ruled", "taut"})
        self.assertTrue(methods["taut"]["applies"])
        self.assertFalse(methods["flat"]["applies"])
        self.assertIn(opening, page.read_text())
        out = self.folder / "taken.ply"
        taken = self.report("mend", model, "--try", opening, "--take", "taut", "-o", out, "--overwrite", status=1)
        self.assertTrue(taken["ledger"][0]["method"].startswith("taut"))
        self.assertAlmostEqual(taken["ledger"][0]["area_added"], methods["taut"]["area"], places=6)
        self.assertEqual(run("mend", model, "--try", opening, "--take", "flat", "-o", out, "--overwrite").returncode, 2)
        self.assertEqual(run("mend", model, "--try", "opening-00000000").returncode, 2)

    def test_convert_writes_selections_and_findings_as_groups(self):
        model, out = self.folder / "pod-missing-triangles.stl", self.folder / "only.obj"
        opening = self.report("inspect", model, status=1)["findings"][0]
        only = self.report("convert", model, "-o", out, "--overwrite", "--only", opening["id"])
        self.assertEqual(only["parts"][0]["triangles"], opening["triangle_total"])
        rest = self.report("convert", model, "-o", out, "--overwrite", "--only", "but:" + opening["id"])
        self.assertEqual(rest["parts"][0]["triangles"] + opening["triangle_total"], 16164)
        self.report("convert", model, "-o", out, "--overwrite", "--findings")
        self.assertIn(f"g {opening['id']}", out.read_text())
        for wrong in ("opening-00000000", "patch:lid", "triangles:9-2", "box:1,2", "but:box:500,0,0,600,1,1"):
            self.assertEqual(run("convert", model, "-o", out, "--overwrite", "--only", wrong).returncode, 2, wrong)

    def test_expectations_are_met_or_missed(self):
        pod = self.folder / "pod.stl"
        met = self.report("certify", pod, "--expect-volume", "230051", "--within", "0.01%")
        self.assertTrue(met["expectations"][0]["met"])
        missed = self.report("certify", pod, "--expect-mass", "0.3kg", "--density", "1.05g/cm3", status=1)
        self.assertFalse(missed["expectations"][0]["met"])
        self.assertAlmostEqual(missed["mass"], 230051.01e-9 * 1050, places=6)
        self.assertEqual(run("certify", pod, "--expect-mass", "1kg").returncode, 2)

    def test_measure(self):
        report = self.report("measure", self.folder / "garza.obj", "--density", "1000")
        self.assertEqual([p["name"] for p in report["parts"]], ["pod", "ballast-ring", "lid"])
        self.assertAlmostEqual(sum(p["mass"] for p in report["parts"]), report["total"]["mass"])

    def test_measure_answers_what_it_is_asked(self):
        pod = self.folder / "pod.stl"
        report = self.report("measure", pod, "--between", "0,0,0", "1cm,0,5", "--angle", "1,0,0", "0,0,0", "0,1,0",
                             "--radius", "1,0,0", "0,1,0", "-1,0,0", "--rims", "--patches")
        self.assertEqual(report["distance"]["components"], [10, 0, 5])
        self.assertAlmostEqual(report["angle"], 90)
        self.assertAlmostEqual(report["circle"]["radius"], 1)
        self.assertEqual(report["rims"], [])
        self.assertEqual(len(report["patches"]), 26)
        flange = [p["number"] for p in report["patches"]
                  if p["surface"] and p["surface"]["kind"] == "plane" and abs(p["center"][2] - 128) < 1e-3]
        below = [p["number"] for p in report["patches"]
                 if p["surface"] and p["surface"]["kind"] == "plane" and abs(p["center"][2] - 120) < 1e-3]
        report = self.report("measure", pod, "--thickness", below[0], flange[0], "--between", below[0], flange[0])
        self.assertAlmostEqual(report["thickness"]["mean"], 8, places=4)
        self.assertAlmostEqual(report["distance"]["value"], 8, places=4)

    def test_an_element_size_adds_quality_and_sizes(self):
        report = self.report("inspect", self.folder / "pod.stl", "--element-size", "2mm")
        self.assertEqual(report["quality"]["triangles"], report["counts"]["triangles"])
        self.assertLessEqual(report["element_size"]["least"], report["element_size"]["largest"])
        self.assertIn("thin-wall", {f["kind"] for f in report["findings"]})
        self.assertNotIn("quality", self.report("inspect", self.folder / "pod.stl"))

    def test_a_profile_is_written_read_and_obeyed(self):
        with tempfile.TemporaryDirectory() as work:
            profile = pathlib.Path(work) / "mine.toml"
            pod = self.folder / "pod-missing-triangles.stl"
            self.report("inspect", pod, "--write-profile", profile, status=1)
            self.assertEqual(run("inspect", pod, "--write-profile", profile).returncode, 2)
            self.report("inspect", pod, "--profile", profile, status=1)
            report = self.report("inspect", pod, status=1)
            waivers = "".join(f'[[waivers]]\nid = "{f["id"]}"\nreason = "an inlet"\n' for f in report["findings"])
            profile.write_text(profile.read_text() + waivers)
            report = self.report("inspect", pod, "--profile", profile)
            self.assertEqual(report["severities"]["waived"], 2)
            self.assertEqual({f["waived"] for f in report["findings"]}, {"an inlet"})
            profile.write_text('format = "aguja-profile"\n[limits]\nsliver_pach = 1\n')
            result = run("inspect", pod, "--profile", profile)
            self.assertEqual(result.returncode, 3)
            self.assertIn("nearest is 'sliver_patch'", result.stderr)

    def test_one_kind_alone_and_sheets_by_intent(self):
        report = self.report("inspect", self.folder / "pod-strays.stl", "--only", "opening")
        self.assertEqual(report["findings"], [])
        result = run("inspect", self.folder / "pod.stl", "--only", "openning")
        self.assertEqual(result.returncode, 2)
        self.assertIn("'opening'", result.stderr)
        self.assertEqual(run("inspect", self.folder / "pod.stl", "--sheet", "lid").returncode, 2)

    def test_the_pages_of_kinds_and_profiles_are_what_the_tool_says(self):
        sys.path.insert(0, str(SOURCE / "scripts"))
        import importlib.machinery
        pages = importlib.machinery.SourceFileLoader("pages", str(SOURCE / "scripts" / "pages")).load_module()
        for name, text in pages.pages(TOOL).items():
            self.assertEqual((SOURCE / "docs" / name).read_text(), text, f"run scripts/pages: docs/{name}")

    def test_explain_tells_of_every_kind(self):
        report = self.report("inspect", "--explain", "all")
        for kind in report["kinds"]:
            result = run("inspect", "--explain", kind["kind"])
            self.assertIn(kind["what"].split()[0], result.stdout)
            self.assertLessEqual(max(map(len, result.stdout.splitlines())), 120)
        self.assertEqual(run("inspect", "--explain", "gpa").returncode, 2)

    def test_as_one_takes_all_parts_as_one_body(self):
        for command, status in (("inspect", 0), ("certify", 0), ("measure", 0)):
            report = self.report(command, self.folder / "garza.obj", "--as-one", status=status)
            if "parts" in report:
                self.assertEqual(len(report["parts"]), 1)
        out = self.folder / "one.obj"
        self.assertEqual(len(self.report("convert", self.folder / "garza.obj", "--as-one", "-o", out)["parts"]), 1)

    def test_convert_goes_round_all_formats_bit_for_bit(self):
        start = self.folder / "pod.stl"
        for extension in ("obj", "ply", "off"):
            middle, end = self.folder / f"round.{extension}", self.folder / f"round-{extension}.stl"
            self.report("convert", start, "-o", middle)
            self.report("convert", middle, "-o", end)
            # All but the header, which says where the file comes from.
            self.assertEqual(start.read_bytes()[84:], end.read_bytes()[84:], extension)
        copy = self.folder / "copy.stl"
        self.report("convert", start, "-o", copy)
        self.assertEqual(start.read_bytes(), copy.read_bytes())

    def test_convert_moves_turns_mirrors_scales_renames_and_selects(self):
        out = self.folder / "moved.obj"
        report = self.report("convert", self.folder / "garza.obj", "-o", out, "--part", "lid", "--rename",
                             "lid=cover", "--move", "0,0,-142mm", "--turn", "x,90deg", "--mirror", "y",
                             "--scale", "2", "--to-unit", "cm")
        self.assertEqual(report["parts"], [{"name": "cover", "triangles": 256}])
        box = self.report("measure", out, "--unit", "cm")["parts"][0]["box"]
        for found, expected in zip(sum(box, []), (-6.2, 0, -6.2, 6.2, 1, 6.2)):
            self.assertAlmostEqual(found, expected, places=9)
        self.assertGreater(self.report("measure", out)["total"]["volume"], 0)

    def test_output_is_the_same_for_any_number_of_threads(self):
        model = self.folder / "pod-missing-triangles.stl"
        reports = [self.report("inspect", model, "--threads", n, status=1) for n in (1, 2, 4)]
        for report in reports[1:]:
            self.assertEqual(without_facts(report), without_facts(reports[0]))

    def test_text_fits_the_width_and_has_the_answer_first(self):
        result = run("inspect", self.folder / "pod-fin.stl")
        self.assertIn("Not a solid yet: 1 error.", result.stdout.splitlines()[2])
        self.assertLessEqual(max(map(len, result.stdout.splitlines()[1:])), 120)
        self.assertEqual(run("inspect", self.folder / "pod-fin.stl", "--quiet").stdout, "")

    def test_help_fits_a_screen(self):
        for command in ("inspect", "certify", "measure", "convert", "demo"):
            result = run(command, "--help")
            self.assertEqual(result.returncode, 0)
            self.assertLessEqual(len(result.stdout.splitlines()), 50, command)

    def test_help_has_a_word_for_every_value(self):
        for command in ("inspect", "stitch", "mend", "certify", "measure", "compare", "convert", "show", "demo"):
            for line in run(command, "--help").stdout.splitlines():
                self.assertNotRegex(line, r"^  -\S+ (TEXT|U?INT|FLOAT)", command)

    def test_the_readme_shows_what_the_tool_prints(self):
        blocks = re.findall(r"```text\n\$ aguja ([^\n]*)\n(.*?)```", (SOURCE / "README.md").read_text(), re.S)
        self.assertGreaterEqual(len(blocks), 3)
        with tempfile.TemporaryDirectory() as work:
            run("demo", "out", cwd=work)
            for command, text in blocks:
                self.assertEqual(run(*command.split(), cwd=work).stdout, text, command)

    # ---- what goes wrong

    def test_unreadable_input_has_one_clear_error_and_status_3(self):
        empty, poem = self.folder / "empty.stl", self.folder / "poem.txt"
        empty.write_bytes(b"")
        poem.write_text("the needle and the thread\n")
        truncated = self.folder / "truncated.stl"
        truncated.write_bytes((self.folder / "pod.stl").read_bytes()[:5000])
        huge = self.folder / "huge.off"
        huge.write_text("OFF\n4000000000 1 0\n0 0 0\n")
        for file, text in ((empty, "the file is empty"), (poem, "neither the content nor the name"),
                           (truncated, "byte 80: 16176 triangles are declared (808800 bytes), but 4916"),
                           (huge, "4000000000 points"), (self.folder, "is a folder"),
                           (self.folder / "missing.stl", "No such file")):
            for command in ("inspect", "certify", "measure"):
                result = run(command, file)
                self.assertEqual(result.returncode, 3, result.stderr)
                self.assertEqual(len(result.stderr.splitlines()), 1, result.stderr)
                self.assertIn(text, result.stderr)
            self.report("inspect", file, status=3)

    # ---- to look at

    def test_show_writes_pages_pictures_and_files_for_other_viewers(self):
        model = self.folder / "pod-missing-triangles.stl"
        begins = {"html": b"<!doctype html>", "png": b"\x89PNG\r\n", "vtp": b"<?xml", "glb": b"glTF\x02"}
        for end, begin in begins.items():
            out = self.folder / f"looked-at.{end}"
            report = self.report("show", model, "-o", out)
            self.assertEqual(report["findings"], 2)
            self.assertEqual(report["bytes"], out.stat().st_size)
            self.assertTrue(out.read_bytes().startswith(begin))
            first = out.read_bytes()
            self.assertEqual(run("show", model, "-o", out).returncode, 2)
            self.assertEqual(run("show", model, "-o", out, "--overwrite", "--threads", "1").returncode, 0)
            self.assertEqual(out.read_bytes(), first)
        self.assertTrue(self.report("show", model, "-o", self.folder / "few.html", "--most", 2000)["reduced"])

    def test_pictures_are_of_the_whole_and_of_each_finding(self):
        folder = self.folder / "pictures"
        self.report("inspect", self.folder / "boxes-crossing.stl", "--pictures", folder, "--size", "640x400", status=1)
        ids = {f["id"] for f in self.report("inspect", self.folder / "boxes-crossing.stl", status=1)["findings"]}
        names = {p.stem for p in folder.iterdir()}
        self.assertEqual({n[4:] for n in names if n != "whole"}, ids)
        self.assertIn("whole", names)
        for wrong in (["--size", "640"], ["--section", "w"], ["--section", "x=2"], ["--finding", "crack-0"]):
            result = run("show", self.folder / "boxes-crossing.stl", "-o", self.folder / "never.png", *wrong)
            self.assertEqual(result.returncode, 2, wrong)
            self.assertIn(wrong[0], result.stderr)
        self.assertFalse((self.folder / "never.png").exists())
        one = run("show", self.folder / "boxes-crossing.stl", "-o", self.folder / "one.png", "--finding", min(ids),
                  "--section", "y=0.4", "--see-through")
        self.assertEqual(one.returncode, 0, one.stderr)

    def test_pages_go_with_the_other_commands(self):
        model, out = self.folder / "pod.stl", self.folder / "beside.html"
        for arguments in (("certify", model), ("inspect", model), ("compare", model, model)):
            self.report(*arguments, "--page", out)
            self.assertIn("aguja", out.read_text())
            self.assertEqual(run(*arguments, "--page", out).returncode, 2)
            out.unlink()
        fields = self.folder / "distance.vtp"
        self.report("compare", model, self.folder / "pod-missing-triangles.stl", "--fields", fields)
        self.assertIn('Name="deviation"', fields.read_text())

    def test_colours_only_on_a_terminal_that_wants_them(self):
        command = f"{TOOL} inspect {self.folder}/boxes-crossing.stl"
        def said(**more):
            environment = {**os.environ, "TERM": "xterm", **more}
            environment.pop("NO_COLOR", None) if "NO_COLOR" not in more else None
            return subprocess.run(["script", "-qc", command, "/dev/null"], capture_output=True, text=True,
                                  env=environment, timeout=60).stdout
        self.assertIn("\033[1;38;5;130m■ error\033[0m", said())
        for plain in (said(NO_COLOR="1"), said(TERM="dumb"), run("inspect", self.folder / "boxes-crossing.stl").stdout):
            self.assertIn("■ error", plain)
            self.assertNotIn("\033", plain)

    def test_wrong_use_has_status_2(self):
        pod = self.folder / "pod.stl"
        for arguments in ((), ("frobnicate",), ("inspect",), ("inspect", pod, "--no-such-option"),
                          ("inspect", pod, "--unit", "furlong"), ("inspect", pod, "--from", "dwg"),
                          ("convert", pod, "-o", self.folder / "pod.xyz"),
                          ("convert", pod, "-o", pod),
                          ("convert", pod, "-o", self.folder / "x.obj", "--rename", "a=b"),
                          ("convert", pod, "-o", self.folder / "x.obj", "--scale", "0"),
                          ("certify", pod, "--density", "heavy", "--expect-mass", "1kg")):
            result = run(*arguments)
            self.assertEqual(result.returncode, 2, arguments)
            self.assertTrue(result.stderr, arguments)
        self.assertFalse((self.folder / "x.obj").exists())

    def test_failure_to_write_has_status_4_and_leaves_nothing(self):
        result = run("convert", self.folder / "pod.stl", "-o", self.folder / "no" / "such" / "folder.stl")
        self.assertEqual(result.returncode, 4, result.stderr)

    def test_an_interrupt_has_status_130_and_leaves_nothing(self):
        fifo, out = self.folder / "fifo.off", self.folder / "from-fifo.obj"
        os.mkfifo(fifo)
        process = subprocess.Popen([TOOL, "convert", fifo, "-o", out], stderr=subprocess.PIPE)
        with open(fifo, "w") as stream:  # opens only once the tool reads, so it is past its start
            time.sleep(0.2)
            process.send_signal(signal.SIGINT)
            time.sleep(0.2)
            stream.write("OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n")
        process.communicate(timeout=60)
        self.assertEqual(process.returncode, 130)
        self.assertFalse(out.exists())

    def test_an_interrupt_ends_what_would_take_long(self):
        # A field of bumps, as triangles two to a square.
        n = 400
        height = [[math.sin(0.1 * x) * math.cos(0.13 * y) for y in range(n + 1)] for x in range(n + 1)]
        facets = []
        for x in range(n):
            for y in range(n):
                a, b, c, d = ((u, v, height[u][v]) for u, v in ((x, y), (x + 1, y), (x + 1, y + 1), (x, y + 1)))
                for t in ((a, b, c), (a, c, d)):
                    facets.append(struct.pack("<12fH", 0, 0, 0, *t[0], *t[1], *t[2], 0))
        large = self.folder / "field.stl"
        large.write_bytes(bytes(80) + struct.pack("<I", len(facets)) + b"".join(facets))
        before = set(self.folder.iterdir())
        for command in (["show", large, "-o", self.folder / "field.html"],
                        ["mend", large, "--accept", "all", "-o", self.folder / "field-mended.ply"]):
            for wait in (0.1, 0.5):
                process = subprocess.Popen([TOOL, *command], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True)
                time.sleep(wait)
                process.send_signal(signal.SIGINT)
                asked = time.monotonic()
                message = process.communicate(timeout=60)[1]
                if process.returncode != 130:  # done already, on a fast machine
                    for made in set(self.folder.iterdir()) - before:
                        made.unlink()
                    continue
                self.assertLess(time.monotonic() - asked, 5)
                self.assertIn("interrupted", message)
                self.assertEqual(set(self.folder.iterdir()), before)

    def test_reads_from_a_pipe(self):
        result = run("inspect", "/dev/stdin", "--json", input="OFF\n3 1 0\n0 0 0\n9 0 0\n0 9 0\n3 0 1 2\n")
        self.assertEqual(result.returncode, 1)
        self.assertEqual(json.loads(result.stdout)["counts"]["naked_edges"], 3)

    def test_several_files_are_one_model(self):
        report = self.report("inspect", self.folder / "pod.stl", self.folder / "garza.obj", status=1)
        self.assertEqual(len(report["parts"]), 4)
        # The pod is in both.
        self.assertEqual([p["relation"] for p in report["pairs"] if p["relation"] != "touching"], ["identical"])

    def test_each_file_has_its_line_and_the_status_that_it_has_alone(self):
        broken = self.folder / "broken.stl"
        broken.write_bytes(b"solid x\nfacet")
        files = [self.folder / "pod.stl", self.folder / "box-sheet.stl", broken, self.folder / "clamp.step"]
        schema = json.loads((SOURCE / "docs" / "schema" / "file.schema.json").read_text())
        for command in (["inspect"], ["certify"], ["certify", "--expect-volume", "1e9"]):
            text = run(*command, "--each-file", *files)
            lines = text.stdout.splitlines()
            self.assertEqual(len(lines), len(files))
            result = run(*command, "--each-file", *files, "--json")
            self.assertEqual(text.returncode, 3)
            self.assertEqual(result.returncode, 3)
            for file, line, shown in zip(files, result.stdout.splitlines(), lines, strict=True):
                of = json.loads(line)
                jsonschema.validate(of, schema, jsonschema.Draft202012Validator)
                alone = run(*command, file, "--json")
                self.assertEqual((of["file"], of["status"]), (str(file), alone.returncode))
                self.assertEqual(without_facts(of["report"]), without_facts(json.loads(alone.stdout)))
                self.assertEqual(shown, f"{of['status']}  {file}  {of['words']}")
        self.assertEqual(run("inspect", "--each-file", files[0]).returncode, 0)
        self.assertEqual(run("inspect", "--each-file", files[0], "--page", self.folder / "x.html").returncode, 2)
        self.assertEqual(run("certify", "--each-file", files[0], "--unit", "parsec").returncode, 2)

    def test_expectations_are_held_against_the_surfaces_themselves(self):
        clamp = self.folder / "clamp.step"
        true = 8000 * math.pi
        self.assertGreater(abs(self.report("certify", clamp)["volume"] - true), 1e-4 * true)
        # As facets alone it would be missed.
        met = self.report("certify", clamp, "--expect-volume", repr(true), "--within", "0.0001%", status=0)
        self.assertTrue(met["expectations"][0]["told"])
        self.assertLess(abs(met["expectations"][0]["found"] - true), 1e-9 * true)
        self.assertLess(met["surface"]["volume_within"], 1e-6 * true)
        self.assertAlmostEqual(met["surface"]["volume"], met["expectations"][0]["found"], delta=1e-9 * true)
        missed = self.report("certify", clamp, "--expect-volume", repr(1.002 * true), "--within", "0.1%", status=1)
        self.assertTrue(missed["expectations"][0]["told"])
        self.assertFalse(missed["expectations"][0]["met"])
        # On the very limit nothing is fine enough.
        edge = self.report("certify", clamp, "--expect-volume", repr(true / 1.001), "--within", "0.1%", status=1)
        self.assertFalse(edge["expectations"][0]["told"])
        mass = self.report("certify", clamp, "--density", "1g/cm3", "--expect-mass", f"{true / 1000!r}g", "--within", "0.0001%", status=0)
        self.assertTrue(mass["expectations"][0]["met"])
        # In inches, and twice over with another file.
        both = self.report("certify", clamp, self.folder / "clamp.iges", "--parts-apart", "--expect-volume", repr(2 * true), "--within", "0.0001%", status=0)
        self.assertLess(abs(both["surface"]["volume"] - 2 * true), 1e-8 * true)

    def test_parts_are_judged_together_unless_they_are_meant_to_be_apart(self):
        parts = self.folder / "mount-parts.obj"
        report = self.report("certify", parts, "--density", "1g/cm3", status=1)
        self.assertEqual({p["verdict"] for p in report["parts"]}, {"solid"})
        self.assertEqual(
            {(p["relation"], p["first"], p["second"]): round(p["volume"], 9) for p in report["pairs"]
             if p["relation"] != "touching"},
            {("crossing", "rail", "bracket"): 400, ("inside", "weight", "block"): 2000,
             ("identical", "stop", "stop-again"): 125})
        self.assertIn(("touching", "rail", "block", 300),
                      [(p["relation"], p["first"], p["second"], round(p["contact_area"], 6)) for p in report["pairs"]])
        self.assertIsNone(report["mass"])
        self.report("certify", parts, "--parts-apart", status=0)
        self.assertEqual(self.report("inspect", parts, "--parts-apart", status=0)["pairs"], [])
        found = self.report("inspect", parts, status=1)["findings"]
        profile = self.folder / "meant.toml"
        profile.write_text('format = "aguja-profile"\nversion = 1\n' + "".join(
            f'[[waivers]]\nid = "{f["id"]}"\nreason = "welded"\n' for f in found[:2]) +
            f'[[waivers]]\nkind = "{found[2]["kind"]}"\npart = "{found[2]["part"]}"\nreason = "spare"\n')
        for command in (["inspect"], ["certify"], ["mend", "--dry-run"]):
            self.report(*command, parts, "--profile", profile, status=0)
        # A format without parts holds one body that passes through itself.
        fused = self.folder / "fused.stl"
        self.report("mend", parts, "-o", fused, "--profile", profile, status=1)


if __name__ == "__main__":
    unittest.main(argv=[sys.argv[0], "-v"])
