"""A picture of a page in headless Chromium. Usage: photograph.py PAGE PICTURE [KEY | colour=FIELD ...]"""

import pathlib
import sys
import time

from selenium import webdriver
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import Select

options = Options()
for argument in ("--headless=new", "--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader",
                 "--force-prefers-reduced-motion", "--hide-scrollbars"):
    options.add_argument(argument)
browser = webdriver.Chrome(service=Service("/usr/bin/chromedriver"), options=options)
try:
    browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride",
                            {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False})
    browser.get(pathlib.Path(sys.argv[1]).resolve().as_uri())
    while browser.execute_script("return document.body.dataset.ready") != "yes":
        time.sleep(0.05)
    # The folder that it was made in is of no interest.
    browser.execute_script("""for (const m of content.models) m.file = m.file.split("/").pop();
                              aguja.panel.verdict();""")
    for step in sys.argv[3:]:
        if step.startswith("colour="):
            Select(browser.find_element(By.CSS_SELECTOR, '[data-tool="colour"]')).select_by_value(step[7:])
        else:
            browser.find_element(By.TAG_NAME, "body").send_keys(step)
        time.sleep(0.5)
    time.sleep(0.5)
    browser.save_screenshot(sys.argv[2])
finally:
    browser.quit()
