//! Serves until told to stop, and stops within seconds: whoever is half way through a request, or
//! reads nothing, does not hold it up.

use std::{io, sync::Arc, time::Duration};

use axum::Router;
use hyper::server::conn::http1;
use hyper_util::{
    rt::{TokioIo, TokioTimer},
    service::TowerToHyperService,
};
use tokio::{
    net::{TcpListener, TcpStream},
    sync::{Semaphore, watch},
    task::JoinSet,
    time::{sleep, timeout},
};

use tokio_util::task::TaskTracker;

use crate::sessions::Sessions;

/// How long a client may take to send the head of a request.
const HEAD: Duration = Duration::from_secs(10);
/// The most connections at a time. More wait until one ends.
const MOST_CONNECTIONS: usize = 512;
/// How long strokes may take to be kept, and then requests to be answered, when the server stops.
const LAST: Duration = Duration::from_secs(5);
/// How long to wait after the system had no connection to give.
const BREATH: Duration = Duration::from_millis(100);

/// Serves a router until `stop` is done; then ends strokes, has them kept, and lets go.
pub async fn until(
    listener: TcpListener,
    router: Router,
    sessions: Sessions,
    sockets: TaskTracker,
    stop: impl Future<Output = ()>,
) -> io::Result<()> {
    let room = Arc::new(Semaphore::new(MOST_CONNECTIONS));
    let (stopping, stopped) = watch::channel(false);
    let mut connections = JoinSet::new();
    tokio::pin!(stop);
    loop {
        let next = async {
            let permit = room.clone().acquire_owned().await.map_err(io::Error::other)?;
            Ok::<_, io::Error>((listener.accept().await?.0, permit))
        };
        tokio::select! {
            () = &mut stop => break,
            next = next => match next {
                Ok((stream, permit)) => {
                    let (router, stopped) = (router.clone(), stopped.clone());
                    connections.spawn(async move {
                        connection(stream, router, stopped).await;
                        drop(permit);
                    });
                }
                Err(error) => {
                    tracing::warn!("a connection could not be taken: {error}");
                    sleep(BREATH).await;
                }
            },
            // Those that have ended leave nothing behind.
            Some(_) = connections.join_next() => {}
        }
    }
    drop(listener);
    let _ = stopping.send(true);
    let closed = tokio::task::spawn_blocking(move || sessions.close_all());
    if timeout(LAST, closed).await.is_err() {
        tracing::warn!("some changes were not written within {} s", LAST.as_secs());
    }
    // Their last words are on the way.
    sockets.close();
    let all = async {
        sockets.wait().await;
        while connections.join_next().await.is_some() {}
    };
    if timeout(LAST, all).await.is_err() {
        tracing::warn!("some requests were cut off");
    }
    Ok(())
}

/// Serves one connection.
async fn connection(stream: TcpStream, router: Router, mut stopped: watch::Receiver<bool>) {
    let _ = stream.set_nodelay(true);
    let service = TowerToHyperService::new(router);
    let serving = http1::Builder::new()
        .timer(TokioTimer::new())
        .header_read_timeout(HEAD)
        .serve_connection(TokioIo::new(stream), service)
        .with_upgrades();
    tokio::pin!(serving);
    tokio::select! {
        _ = &mut serving => {}
        _ = stopped.changed() => {
            // What is under way is answered; no other request is taken.
            serving.as_mut().graceful_shutdown();
            let _ = serving.await;
        }
    }
}

/// Done when the process is told to stop. Told a second time, it ends at once.
pub async fn told_to_stop() {
    told().await;
    tokio::spawn(async {
        told().await;
        // What a shell reports of a process that was interrupted.
        std::process::exit(130);
    });
}

async fn told() {
    let interrupt = async {
        let _ = tokio::signal::ctrl_c().await;
    };
    #[cfg(unix)]
    {
        use tokio::signal::unix::{SignalKind, signal};
        if let Ok(mut terminate) = signal(SignalKind::terminate()) {
            tokio::select! { () = interrupt => {}, _ = terminate.recv() => {} }
            return;
        }
    }
    interrupt.await;
}
