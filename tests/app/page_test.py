"""The pages of all demo models in a real browser: nothing fetched, no complaint, every tool and the plan.

Usage: page_test.py AGUJA
"""

import json
import pathlib
import shutil
import subprocess
import sys
import tempfile
import time
import tomllib
import unittest

from selenium import webdriver
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

TOOL = str(pathlib.Path(sys.argv[1]).resolve())


def run(*arguments):
    return subprocess.run([TOOL, *map(str, arguments)], capture_output=True, text=True, timeout=120)


class PageTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = pathlib.Path(tempfile.mkdtemp(prefix="aguja-page-"))
        cls.demo = json.loads(run("demo", cls.folder, "--json").stdout)
        options = Options()
        for argument in ("--headless=new", "--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader",
                         "--disable-dev-shm-usage", "--window-size=960,600", "--force-prefers-reduced-motion"):
            options.add_argument(argument)
        options.add_experimental_option("prefs", {"download.default_directory": str(cls.folder)})
        options.set_capability("goog:loggingPrefs", {"browser": "ALL", "performance": "ALL"})
        cls.browser = webdriver.Chrome(service=Service("/usr/bin/chromedriver"), options=options)

    @classmethod
    def tearDownClass(cls):
        cls.browser.quit()
        shutil.rmtree(cls.folder)

    def open(self, page):
        self.browser.get_log("performance")
        self.browser.get(page.as_uri())
        self.until("return document.body.dataset.ready === 'yes'")
        self.assert_quiet()

    def until(self, script, seconds=60):
        end = time.monotonic() + seconds
        while not self.browser.execute_script(script):
            self.assertLess(time.monotonic(), end, f"never true: {script}\n{self.browser.get_log('browser')}")
            time.sleep(0.02)

    def assert_quiet(self):
        self.assertEqual([entry for entry in self.browser.get_log("browser") if entry["level"] != "INFO"], [])
        for entry in self.browser.get_log("performance"):
            message = json.loads(entry["message"])["message"]
            if message["method"] == "Network.requestWillBeSent":
                self.assertRegex(message["params"]["request"]["url"], r"^(file:.*\.html$|data:|blob:)")

    def script(self, text, *arguments):
        return self.browser.execute_script(text, *arguments)

    def page_of(self, name, *arguments):
        page = self.folder / "page.html"
        result = run("show", self.folder / name, "-o", page, "--overwrite", *arguments)
        self.assertEqual(result.returncode, 0, result.stderr)
        return page

    def press(self, tool):
        self.browser.find_element(By.CSS_SELECTOR, f'[data-tool="{tool}"]').click()

    # How many pixels of the view are not ground.
    def drawn(self):
        return self.script("""
            aguja.scene.drawNow();
            const flat = document.createElement('canvas');
            flat.width = 160; flat.height = 100;
            const pen = flat.getContext('2d');
            pen.drawImage(aguja.scene.canvas, 0, 0, 160, 100);
            const p = pen.getImageData(0, 0, 160, 100).data;
            let n = 0;
            for (let i = 4; i < p.length; i += 4) n += Math.abs(p[i] - p[0]) + Math.abs(p[i + 2] - p[2]) > 24;
            return n;""")

    def test_shows_every_demo_model_and_its_findings(self):
        for files in self.demo["files"]:
            name = pathlib.Path(files["model"]).name
            with self.subTest(name):
                self.open(self.page_of(name))
                report = json.loads(run("inspect", self.folder / name, "--json").stdout)
                self.assertEqual(self.script("return aguja.panel.order.map(f => f.id).sort()"),
                                 sorted(f["id"] for f in report["findings"]))
                self.assertGreater(self.drawn(), 300)
                # Large ones are slow to draw without graphics hardware.
                steps = 3 if report["counts"]["triangles"] < 50000 else 1
                for _ in range(min(len(report["findings"]), steps)):
                    self.press("next")
                    chosen = self.script("return aguja.panel.current.id")
                    text = self.browser.find_element(By.ID, "card").text
                    finding = next(f for f in report["findings"] if f["id"] == chosen)
                    self.assertIn(chosen, text)
                    self.assertIn(finding["remedy"], text)
                    # It lies in the middle of what the card leaves free.
                    at = self.script("""
                        const c = aguja.panel.current, s = aguja.scene;
                        s.drawNow();
                        const m = c.box[0].map((x, k) => (x + c.box[1][k]) / 2 - origin[k]);
                        const p = s.screen(new THREE.Vector3(...m));
                        return [p.x / (s.canvas.clientWidth - s.camera.covered), p.y / (s.canvas.clientHeight - s.camera.coveredBelow)];""")
                    self.assertAlmostEqual(at[0], 0.5, delta=0.02)
                    self.assertAlmostEqual(at[1], 0.5, delta=0.02)
                self.assert_quiet()

    def test_every_view_can_be_switched_on_and_off(self):
        self.open(self.page_of("garza.obj"))
        looks = {self.picture()}
        for tool in ("edges", "borders", "through", "normals", "section"):
            with self.subTest(tool):
                before = self.picture()
                self.press(tool)
                self.assertNotEqual(self.picture(), before)
                self.press(tool)
                self.assertEqual(self.picture(), before)
        for colour in ("patches", "aspect", "thickness"):
            Select(self.browser.find_element(By.CSS_SELECTOR, '[data-tool="colour"]')).select_by_value(colour)
            time.sleep(0.3)
            look = self.picture()
            self.assertNotIn(look, looks)
            looks.add(look)
            self.assertEqual(self.script("return document.getElementById('legend').hidden"), colour == "patches")
        Select(self.browser.find_element(By.CSS_SELECTOR, '[data-tool="only"]')).select_by_value("part 1")
        self.assertNotIn(self.picture(), looks)
        self.press("theme")
        self.assertEqual(self.script("return document.documentElement.dataset.theme"), "dark")
        self.assert_quiet()

    def picture(self):
        return self.script("""
            aguja.scene.drawNow();
            return aguja.scene.canvas.toDataURL();""")

    def test_search_and_filters_narrow_the_list(self):
        self.open(self.page_of("boxes-crossing.stl"))
        all_findings = self.script("return aguja.panel.order.length")
        self.assertGreater(all_findings, 1)
        box = self.browser.find_element(By.ID, "search")
        box.send_keys("no such word")
        self.assertEqual(self.script("return aguja.panel.order.length"), 0)
        box.send_keys(Keys.CONTROL + "a" + Keys.NULL, "crossing")
        self.assertGreater(self.script("return aguja.panel.order.length"), 0)
        self.browser.find_element(By.CSS_SELECTOR, '[data-severity="error"]').click()
        self.assertTrue(self.script("return aguja.panel.order.every(f => f.severity !== 'error')"))

    def test_measures_what_is_clicked(self):
        self.open(self.page_of("wedge.stl"))
        self.press("measure")
        # Two corners of the model, pressed where they are seen: vertices catch.
        pair = self.script("""
            const s = aguja.scene, m = s.model;
            s.drawNow();
            const seen = [];
            for (let v = 0; v < m.points.length / 3 && seen.length < 2; ++v) {
              const place = new THREE.Vector3(m.points[3 * v], m.points[3 * v + 1], m.points[3 * v + 2]);
              const p = s.screen(place);
              for (const [dx, dy] of [[2, 2], [-2, 2], [2, -2], [-2, -2], [0, 4], [4, 0], [-4, 0], [0, -4]]) {
                const hit = s.pick(p.x + dx, p.y + dy);
                if (!hit || !hit.vertex || hit.place.distanceTo(place) > 1e-9) continue;
                aguja.click(p.x + dx, p.y + dy);
                seen.push([0, 1, 2].map(k => place.getComponent(k) + origin[k]));
                break;
              }
            }
            return seen;""")
        self.assertEqual(len(pair), 2)
        a, b = pair
        distance = sum((x - y) ** 2 for x, y in zip(a, b)) ** 0.5
        shown = self.browser.find_element(By.CSS_SELECTOR, "#drawer .box:last-child b").text
        self.assertAlmostEqual(float(shown.split()[0]), distance, delta=1e-4 * distance)
        self.assertIn("±", shown)

    def test_a_plan_is_saved_and_its_waivers_are_honoured(self):
        model = self.folder / "pod-missing-triangles.stl"
        self.open(self.page_of(model.name))
        self.press("next")
        Select(self.browser.find_element(By.CSS_SELECTOR, '#card select')).select_by_value("leave")
        self.browser.find_element(By.CSS_SELECTOR, '#card input[type="text"]').send_keys(
            'inlet, "closed" by the adapter', Keys.TAB)
        self.press("next")
        Select(self.browser.find_element(By.CSS_SELECTOR, '#card select')).select_by_value("fill")
        self.assertEqual(self.browser.find_element(By.ID, "decisions").text, "1 to mend, 1 to leave")
        self.browser.find_element(By.ID, "save").click()
        plan = self.folder / "plan.toml"
        end = time.monotonic() + 20
        while not plan.exists() and time.monotonic() < end:
            time.sleep(0.05)
        saved = tomllib.loads(plan.read_text())
        self.assertEqual(saved["format"], "aguja-plan")
        self.assertEqual([s["remedy"] for s in saved["steps"]], ["fill"])
        report = json.loads(run("inspect", model, "--profile", plan, "--json").stdout)
        self.assertEqual(sorted(str(f["waived"]) for f in report["findings"]),
                         ["None", 'inlet, "closed" by the adapter'])
        self.assertEqual(saved["input"]["digest"], json.loads(run("certify", model, "--json").stdout)["digest"])

    def test_before_and_after_keep_the_camera_and_tell_the_fates(self):
        page = self.folder / "stitched.html"
        result = run("stitch", self.folder / "pod-cracked.stl", "-o", self.folder / "out.stl", "--page", page)
        self.assertEqual(result.returncode, 0, result.stderr)
        self.open(page)
        self.assertEqual(self.script("return [...new Set(aguja.panel.order.map(f => f.fate))]"), ["gone"])
        camera = "const c = aguja.scene.camera; return [c.distance, ...c.target.toArray(), ...c.turn.toArray()]"
        before = self.script(camera)
        self.press("swap")
        self.assertEqual(self.script(camera), before)
        self.assertIn("solid", self.browser.find_element(By.ID, "sentence").text)
        self.assertIn("deviation", self.script("return aguja.scene.model.fields.map(f => f.slug)"))
        self.assert_quiet()

    def test_prints_a_sheet(self):
        self.open(self.page_of("boxes-crossing.stl"))
        self.script("window.dispatchEvent(new Event('beforeprint'))")
        sheet = "document.getElementById('sheet')"
        findings = self.script("return aguja.panel.order.length")
        self.assertEqual(self.script(f"return {sheet}.querySelectorAll('tr').length"), findings + 1)
        self.assertEqual(self.script(f"return {sheet}.querySelectorAll('img').length"), min(findings, 5) + 1)

    def test_large_models_are_reduced_and_say_so(self):
        self.open(self.page_of("pod-missing-triangles.stl", "--most", "2000"))
        self.assertLess(self.script("return aguja.scene.model.count"), 2500)
        self.assertIn("reduced", self.browser.find_element(By.ID, "note").text)
        # Rims are whole.
        self.assertEqual(self.script("return aguja.scene.model.naked.length / 2"), 12)

    def touch(self, kind, *points):
        self.browser.execute_cdp_cmd("Input.dispatchTouchEvent", {
            "type": kind, "touchPoints": [{"x": x, "y": y, "id": i} for i, (x, y) in enumerate(points)]})

    def test_one_finger_turns_and_two_move_and_zoom(self):
        self.open(self.page_of("wedge.stl"))
        at = self.script("const r = aguja.scene.canvas.getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2]")
        x, y = at
        state = ("aguja.scene.drawNow(); const c = aguja.scene.camera;"
                 " return {distance: c.distance, turn: c.turn.toArray(), target: c.target.toArray()}")
        start = self.script(state)
        self.touch("touchStart", (x, y))
        self.touch("touchMove", (x + 60, y + 20))
        self.touch("touchEnd")
        turned = self.script(state)
        self.assertNotEqual(turned["turn"], start["turn"])
        self.assertEqual(turned["distance"], start["distance"])
        self.assertEqual(turned["target"], start["target"])
        self.touch("touchStart", (x - 40, y), (x + 40, y))
        self.touch("touchMove", (x - 80, y), (x + 80, y))
        self.touch("touchEnd")
        zoomed = self.script(state)
        self.assertAlmostEqual(zoomed["distance"] / turned["distance"], 0.5, delta=0.02)
        self.assertEqual(zoomed["turn"], turned["turn"])
        self.touch("touchStart", (x - 40, y), (x + 40, y))
        self.touch("touchMove", (x - 10, y + 30), (x + 70, y + 30))
        self.touch("touchEnd")
        moved = self.script(state)
        self.assertNotEqual(moved["target"], zoomed["target"])
        self.assertEqual(moved["turn"], zoomed["turn"])

    def test_numbers_are_short_and_have_their_units(self):
        self.open(self.page_of("wedge.stl"))
        for call, text in (("brief(1234567)", "1 234 567"), ("brief(26.52249999)", "26.5225"), ("brief(7.03359e-6)", "7.03359e-6"),
                           ("brief(2e-5)", "2e-5"), ("brief(null)", ""), ("withUnit(3, 'count')", "3"),
                           ("withUnit(2.5, 'mm2')", "2.5 mm²"), ("withUnit(6, 'deg')", "6°"), ("withUnit(0.1, 'mm')", "0.1 mm"),
                           ("pointText([1, 1e-16, -2])", "(1, 0, -2)")):
            self.assertEqual(self.script(f"return {call}"), text, call)

    def test_can_be_used_by_keys(self):
        self.open(self.page_of("boxes-crossing.stl"))
        body = self.browser.find_element(By.TAG_NAME, "body")
        body.send_keys("n")
        first = self.script("return aguja.panel.current.id")
        body.send_keys("n")
        self.assertNotEqual(self.script("return aguja.panel.current.id"), first)
        body.send_keys("p")
        self.assertEqual(self.script("return aguja.panel.current.id"), first)
        body.send_keys(Keys.ESCAPE)
        self.assertIsNone(self.script("return aguja.panel.current"))
        for control in self.browser.find_elements(By.CSS_SELECTOR, "button, select, input"):
            if control.is_displayed():
                self.assertTrue(control.accessible_name, control.get_attribute("outerHTML"))


if __name__ == "__main__":
    unittest.main(argv=sys.argv[:1])
