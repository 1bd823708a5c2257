//! The server: a page over HTTP, events and patches over a WebSocket, on loopback only.

mod live;
mod pages;

use crate::http::at_once;
use crate::output::{self, Outcome};
use crate::project::Opened;
use crate::simulated::{self, Answers};
use anyhow::{Context, Result, anyhow};
use axum::serve::ListenerExt;
use std::net::Ipv4Addr;
use std::sync::Arc;
use tokio::net::TcpListener;
use vein::{Page, Ui, Value};

/// What is printed of each pulse.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Ledger {
    Off,
    Text,
    Json,
}

/// What every request can see.
pub(crate) struct Site {
    pub(crate) ui: Ui,
    pub(crate) component: String,
    pub(crate) props: Value,
    pub(crate) styles: Vec<String>,
    pub(crate) ledger: Ledger,
    pub(crate) answers: Answers,
    /// The port that was bound.
    pub(crate) port: u16,
}

impl Site {
    /// A page of its own, for a tab or for the first view.
    fn open(&self) -> Result<Page, vein::Error> {
        let page = simulated::answered(self.ui.page(&self.component), &self.answers)?;
        page.proven(false).open_value(self.props.clone())
    }
}

/// Serves until the process is told to end.
pub(crate) fn run(opened: Opened, ledger: Ledger) -> Result<Outcome> {
    let Opened { ui, component, props, styles, port, answers } = opened;
    let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build()?;
    runtime.block_on(async {
        let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, port)).await;
        let listener = listener.map_err(|error| bind_error(port, error))?;
        let port = listener.local_addr().context("the port is not known")?.port();
        let address = format!("{component} on http://127.0.0.1:{port}/ · Ctrl+C ends");
        output::try_line(address).context("the address cannot be printed")?;
        let site = Arc::new(Site { ui, component, props, styles, ledger, answers, port });
        // Open tabs do not keep the server: they say by themselves that it is gone.
        tokio::select! {
            served = axum::serve(listener.tap_io(at_once), pages::router(site)) => served.context("the server stopped"),
            heard = tokio::signal::ctrl_c() => heard.context("Ctrl+C cannot be heard"),
        }
    })?;
    Ok(Outcome::Holds)
}

fn bind_error(port: u16, error: std::io::Error) -> anyhow::Error {
    match error.kind() {
        std::io::ErrorKind::AddrInUse => anyhow!(
            "port {port} is in use: choose another with `--port`, or `--port 0` for any that is free"
        ),
        std::io::ErrorKind::PermissionDenied => {
            anyhow!("port {port} may not be used: choose one above 1023 with `--port`")
        }
        _ => anyhow::Error::new(error).context(format!("cannot serve on port {port}")),
    }
}
