//! The link to one tab: its page, its events, its patches.

use super::{Ledger, Site};
use crate::http::Own;
use crate::output;
use crate::told::Told;
use anstream::eprintln;
use axum::extract::State;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::http::{HeaderMap, StatusCode};
use axum::response::{IntoResponse, Response};
use futures_util::StreamExt;
use std::future::poll_fn;
use std::sync::Arc;
use std::task::Poll;
use std::time::Duration;
use tokio::time::Instant;
use vein::{Page, Pulse};

/// No event of a person is longer than this.
const LONGEST_MESSAGE: usize = 1 << 20;

/// Opens a page for a tab, if the tab is one of ours.
pub(super) async fn connect(
    State(site): State<Arc<Site>>,
    headers: HeaderMap,
    upgrade: WebSocketUpgrade,
) -> Response {
    if !Own(site.port).is_origin(&headers) {
        return (StatusCode::FORBIDDEN, "Only pages of this server may connect.").into_response();
    }
    upgrade.max_message_size(LONGEST_MESSAGE).on_upgrade(move |socket| async move {
        if let Err(error) = run(&site, socket).await {
            eprintln!("a tab was let go: {error}");
        }
    })
}

async fn run(site: &Site, mut socket: WebSocket) -> anyhow::Result<()> {
    let mut page = site.open()?;
    page.prove(site.ledger != Ledger::Off);
    page.record(site.ledger != Ledger::Off);
    let opening = page.opening().pulse.patches.to_bytes();
    socket.send(Message::Binary(opening.into())).await?;
    let mut clock = Instant::now();
    loop {
        let due = page.next_due().map(|milliseconds| clock + duration(milliseconds));
        let mut pulses = Vec::new();
        let message = tokio::select! {
            message = socket.next() => match message {
                Some(Ok(message)) => Some(message),
                // The tab is gone, whether it said so or not.
                Some(Err(_)) | None => return Ok(()),
            },
            // The clock first: what comes then begins from now.
            came = poll_fn(|cx| {
                pulses.extend(moved_on(&mut page, &mut clock));
                match page.poll_next(cx) {
                    Poll::Pending if pulses.is_empty() => Poll::Pending,
                    Poll::Pending => Poll::Ready(None),
                    Poll::Ready(pulse) => Poll::Ready(Some(pulse)),
                }
            }) => {
                match came {
                    Some(Ok(pulse)) => pulses.push(pulse),
                    Some(Err(error)) => eprintln!("{error}"),
                    None => {}
                }
                None
            }
            () = until(due) => None,
        };
        pulses.extend(moved_on(&mut page, &mut clock));
        match message {
            Some(Message::Text(text)) => {
                let told: Told = serde_json::from_str(&text)?;
                pulses.push(deliver(&mut page, told)?);
            }
            Some(Message::Close(_)) => return Ok(()),
            _ => {}
        }
        for pulse in pulses {
            tell(site.ledger, &pulse);
            if !pulse.pulse.patches.is_empty() {
                let patches = pulse.pulse.patches.to_bytes();
                socket.send(Message::Binary(patches.into())).await?;
            }
        }
    }
}

/// Moves a page's clock on to now, and runs what has become due.
fn moved_on(page: &mut Page, clock: &mut Instant) -> Vec<Pulse> {
    let elapsed = clock.elapsed();
    *clock += elapsed;
    page.advance(elapsed.as_secs_f64() * 1000.0).unwrap_or_else(|error| {
        eprintln!("{error}");
        Vec::new()
    })
}

fn duration(milliseconds: f64) -> Duration {
    Duration::from_secs_f64((milliseconds.max(0.0) / 1000.0).min(86_400.0))
}

async fn until(due: Option<Instant>) {
    match due {
        Some(due) => tokio::time::sleep_until(due).await,
        None => std::future::pending().await,
    }
}

fn deliver(page: &mut Page, told: Told) -> Result<Pulse, vein::Error> {
    let pulse = told.delivered(page.session_mut());
    page.follow(pulse)
}

fn tell(ledger: Ledger, pulse: &Pulse) {
    match ledger {
        Ledger::Off => {
            if let Some(fault) = &pulse.pulse.fault {
                eprintln!("{}: {fault}; everything was taken back", pulse.pulse.cause);
            }
        }
        // The page goes on, whether anybody reads the ledger or not.
        Ledger::Text => {
            let _ = output::try_line(format!("\n{}", output::ledger(pulse)));
        }
        Ledger::Json => {
            let _ = output::try_line(pulse.json());
        }
    }
}
