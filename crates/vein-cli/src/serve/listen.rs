//! Connections to the server: so many at once, each of which says in time what it wants.

use crate::http::at_once;
use axum::Router;
use axum::extract::Request;
use hyper::body::Incoming;
use hyper::server::conn::http1;
use hyper::service::service_fn;
use hyper_util::rt::{TokioIo, TokioTimer};
use std::collections::VecDeque;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Duration;
use tokio::net::{TcpListener, TcpStream};
use tokio::task::JoinHandle;
use tower_service::Service;

/// So many connections are open, beside those of tabs and workbenches. Where more come, one goes that asks for nothing.
const MOST_CONNECTIONS: usize = 256;
/// A request has to be there so soon, and the next one on the same connection.
const PATIENCE: Duration = Duration::from_secs(10);
/// The head of a request is no longer, in bytes.
const LONGEST_HEAD: usize = 64 << 10;
/// After a connection could not be taken, where there are too many files open, say.
const PAUSE: Duration = Duration::from_millis(50);

/// A connection, with how many requests are answered on it at present.
struct Open {
    busy: Arc<AtomicUsize>,
    task: JoinHandle<()>,
}

/// Answers connections, for good.
pub(super) async fn serve(listener: TcpListener, router: Router) {
    let mut open: VecDeque<Open> = VecDeque::new();
    loop {
        let mut stream = match listener.accept().await {
            Ok((stream, _)) => stream,
            // Others may be let go meanwhile.
            Err(_) => {
                tokio::time::sleep(PAUSE).await;
                continue;
            }
        };
        at_once(&mut stream);
        open.retain(|known| !known.task.is_finished());
        if open.len() >= MOST_CONNECTIONS {
            let waits = |known: &Open| known.busy.load(Ordering::Relaxed) == 0;
            let Some(at) = open.iter().position(waits) else { continue };
            if let Some(gone) = open.remove(at) {
                gone.task.abort();
            }
        }
        let busy = Arc::new(AtomicUsize::new(0));
        let task = tokio::spawn(answer(stream, router.clone(), busy.clone()));
        open.push_back(Open { busy, task });
    }
}

async fn answer(stream: TcpStream, router: Router, busy: Arc<AtomicUsize>) {
    let service = service_fn(move |request: Request<Incoming>| {
        let (mut router, busy) = (router.clone(), busy.clone());
        async move {
            busy.fetch_add(1, Ordering::Relaxed);
            let answer = router.call(request.map(axum::body::Body::new)).await;
            busy.fetch_sub(1, Ordering::Relaxed);
            answer
        }
    });
    let mut server = http1::Builder::new();
    server.timer(TokioTimer::new()).header_read_timeout(PATIENCE).max_buf_size(LONGEST_HEAD);
    // One that is broken off is nobody's mistake here.
    let _ = server.serve_connection(TokioIo::new(stream), service).with_upgrades().await;
}
