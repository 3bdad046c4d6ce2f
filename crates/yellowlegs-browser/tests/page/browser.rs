//! A headless Chromium, spoken to over its debugging protocol: one tab, everything it asks for and complains about noted.

use std::fs;
use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use base64::Engine as _;
use serde_json::{Value, json};
use tempfile::TempDir;
use tungstenite::{Message, WebSocket, client};

/// How long anything may take.
const PATIENCE: Duration = Duration::from_secs(30);

pub(crate) struct Browser {
    child: Child,
    socket: WebSocket<TcpStream>,
    session: String,
    asked: u64,
    /// Addresses that were asked for.
    pub(crate) requests: Vec<String>,
    /// Errors of the page: thrown, logged, refused by its policy.
    pub(crate) errors: Vec<String>,
    _profile: TempDir,
}

impl Browser {
    /// Opens a file in a window of a size.
    pub(crate) fn open(page: &Path, (width, height): (u32, u32), setup: &[(&str, Value)]) -> Self {
        let profile = TempDir::new().unwrap();
        let child = Command::new(std::env::var("CHROMIUM").unwrap_or_else(|_| "chromium".into()))
            .args(["--headless", "--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking"])
            .args(["--disable-component-update", "--disable-sync", "--hide-scrollbars", "--remote-debugging-port=0"])
            .arg(format!("--user-data-dir={}", profile.path().display()))
            .arg("about:blank")
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("chromium is needed: apt-get install chromium, or name it in CHROMIUM");
        let started = Instant::now();
        let (port, path) = loop {
            let told = fs::read_to_string(profile.path().join("DevToolsActivePort")).unwrap_or_default();
            if let Some((port, path)) = told.split_once('\n') {
                break (port.parse::<u16>().unwrap(), path.trim().to_owned());
            }
            assert!(started.elapsed() < PATIENCE, "the browser does not start");
            std::thread::sleep(Duration::from_millis(20));
        };
        let stream = TcpStream::connect(("127.0.0.1", port)).unwrap();
        stream.set_read_timeout(Some(PATIENCE)).unwrap();
        let (socket, _) = client(format!("ws://127.0.0.1:{port}{path}"), stream).unwrap();
        let (session, requests, errors) = (String::new(), Vec::new(), Vec::new());
        let mut browser = Self { child, socket, session, asked: 0, requests, errors, _profile: profile };
        let tab = browser.call("Target.createTarget", &json!({"url": "about:blank"}))["targetId"].clone();
        let attached = browser.call("Target.attachToTarget", &json!({"targetId": tab, "flatten": true}));
        browser.session = attached["sessionId"].as_str().map(str::to_owned).unwrap();
        for domain in ["Page", "Runtime", "Log", "Network"] {
            browser.call(&format!("{domain}.enable"), &json!({}));
        }
        let mobile = width < 600;
        let size = json!({"width": width, "height": height, "deviceScaleFactor": 1, "mobile": mobile});
        browser.call("Emulation.setDeviceMetricsOverride", &size);
        for (method, parameters) in setup {
            browser.call(method, parameters);
        }
        browser.call("Page.navigate", &json!({"url": format!("file://{}", page.display())}));
        browser.until("document.readyState === 'complete'");
        browser
    }

    /// Calls a method and waits for its answer; events that come before it are noted.
    pub(crate) fn call(&mut self, method: &str, parameters: &Value) -> Value {
        self.asked += 1;
        let mut message = json!({"id": self.asked, "method": method, "params": parameters});
        if !self.session.is_empty() {
            message["sessionId"] = json!(self.session);
        }
        self.socket.send(Message::text(message.to_string())).unwrap();
        loop {
            let told = self.socket.read().unwrap();
            let Ok(text) = told.to_text() else { continue };
            let told: Value = serde_json::from_str(text).unwrap_or_default();
            if told["id"] == json!(self.asked) {
                assert!(told["error"].is_null(), "{method}: {}", told["error"]);
                return told["result"].clone();
            }
            self.note(&told);
        }
    }

    fn note(&mut self, event: &Value) {
        let about = &event["params"];
        match event["method"].as_str().unwrap_or_default() {
            "Network.requestWillBeSent" => {
                self.requests.push(about["request"]["url"].as_str().unwrap_or_default().to_owned());
            }
            "Runtime.exceptionThrown" => self.errors.push(about["exceptionDetails"].to_string()),
            "Log.entryAdded" if about["entry"]["level"] == "error" => self.errors.push(about["entry"].to_string()),
            "Runtime.consoleAPICalled" if about["type"] == "error" => self.errors.push(about["args"].to_string()),
            _ => {}
        }
    }

    /// What an expression comes to on the page.
    pub(crate) fn tell(&mut self, expression: &str) -> Value {
        let asked = json!({"expression": expression, "returnByValue": true, "awaitPromise": true});
        let told = self.call("Runtime.evaluate", &asked);
        assert!(told["exceptionDetails"].is_null(), "{expression}: {}", told["exceptionDetails"]);
        told["result"]["value"].clone()
    }

    /// Waits until an expression holds.
    pub(crate) fn until(&mut self, expression: &str) {
        let started = Instant::now();
        while self.tell(expression) != json!(true) {
            assert!(started.elapsed() < PATIENCE, "it never holds: {expression}");
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    /// Clicks the middle of what a selector finds.
    pub(crate) fn click(&mut self, selector: &str) {
        let place = self.tell(&format!(
            "(() => {{ const node = document.querySelector({selector:?}); node.scrollIntoView({{block: 'center'}});
             const at = node.getBoundingClientRect(); return [at.x + at.width / 2, at.y + at.height / 2]; }})()"
        ));
        for kind in ["mousePressed", "mouseReleased"] {
            let mouse = json!({"type": kind, "x": place[0], "y": place[1], "button": "left", "clickCount": 1});
            self.call("Input.dispatchMouseEvent", &mouse);
        }
    }

    /// Presses a key.
    pub(crate) fn press(&mut self, key: &str, code: u32) {
        for kind in ["keyDown", "keyUp"] {
            let text = if key == "Enter" && kind == "keyDown" { "\r" } else { "" };
            let pressed = json!({"type": kind, "key": key, "windowsVirtualKeyCode": code, "text": text});
            self.call("Input.dispatchKeyEvent", &pressed);
        }
    }

    /// Keeps a picture of the window in the folder that `PICTURES` names, where somebody wants to look.
    pub(crate) fn picture(&mut self, name: &str) {
        let Some(folder) = std::env::var_os("PICTURES") else { return };
        // What changed a moment ago is drawn by then.
        self.tell("new Promise(done => requestAnimationFrame(() => requestAnimationFrame(() => done(true))))");
        let shot = self.call("Page.captureScreenshot", &json!({"format": "png"}));
        let bytes = base64::engine::general_purpose::STANDARD.decode(shot["data"].as_str().unwrap()).unwrap();
        fs::write(Path::new(&folder).join(format!("{name}.png")), bytes).unwrap();
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}
