//! Devices and services that are not there: small ones of our own that speak plain HTTP and JSON on loopback,
//! so that everything which talks to them can be tried without any.

mod answer;
pub mod bureau;
mod package;
pub mod printer;

use std::{io, net::SocketAddr};

use axum::Router;
use tokio::net::TcpListener;

/// Serves one on a free port of this machine for as long as the process lives; tells where.
///
/// # Errors
/// When no port can be listened on.
pub async fn spawn(router: Router) -> io::Result<SocketAddr> {
    let listener = TcpListener::bind((std::net::Ipv4Addr::LOCALHOST, 0)).await?;
    let address = listener.local_addr()?;
    tokio::spawn(serve(listener, router));
    Ok(address)
}

/// Serves one.
///
/// # Errors
/// When the port is lost.
pub async fn serve(listener: TcpListener, router: Router) -> io::Result<()> {
    axum::serve(listener, router).await
}
