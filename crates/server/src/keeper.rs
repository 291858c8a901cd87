//! Writes an open project's journal beside the thread that moves its paint: whatever has come up
//! while the disk was busy goes into one transaction.

use std::{
    sync::mpsc::{Receiver, Sender, channel},
    thread::JoinHandle,
};

use speckle_store::{ProjectFile, ProjectId, StoreError, Write};

use crate::session::command::{Command, Serial};

enum Job {
    Write(Serial, Write),
    /// What was refused has been taken back: what comes from here on is sound again.
    GoOn,
}

/// The way to the thread that writes.
pub struct Keeper {
    jobs: Option<Sender<Job>>,
    thread: Option<JoinHandle<()>>,
    last: Serial,
}

impl Keeper {
    /// Starts the thread. It tells what is on disk by `Kept` and, where something could not be
    /// written, by `NotKept`; then nothing is written until [`Keeper::go_on`].
    pub fn start(
        project: ProjectId,
        file: ProjectFile,
        back: Sender<Command>,
    ) -> Result<Self, StoreError> {
        let (jobs, heard) = channel();
        let thread = std::thread::Builder::new()
            .name(format!("keep {project}"))
            .spawn(move || keep(file, &heard, &back))?;
        Ok(Self { jobs: Some(jobs), thread: Some(thread), last: 0 })
    }

    /// Hands something over to be written.
    pub fn write(&mut self, write: Write) -> Serial {
        self.last += 1;
        if let Some(jobs) = &self.jobs {
            let _ = jobs.send(Job::Write(self.last, write));
        }
        self.last
    }

    /// Says that all that was not written has been taken back.
    pub fn go_on(&self) {
        if let Some(jobs) = &self.jobs {
            let _ = jobs.send(Job::GoOn);
        }
    }

    /// Waits until all that was handed over is written.
    pub fn finish(&mut self) {
        self.jobs = None;
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}

/// Whether a project is as well off without it: nobody was told that it would be kept.
fn is_spare(write: &Write) -> bool {
    matches!(write, Write::Checkpoint { .. } | Write::Opened(_))
}

fn keep(mut file: ProjectFile, jobs: &Receiver<Job>, back: &Sender<Command>) {
    let mut is_refusing = false;
    while let Ok(first) = jobs.recv() {
        let mut serials = Vec::new();
        let mut writes = Vec::new();
        for job in std::iter::once(first).chain(jobs.try_iter()) {
            match job {
                Job::GoOn => is_refusing = false,
                // It builds on what was refused.
                Job::Write(..) if is_refusing => {}
                Job::Write(serial, write) => {
                    serials.push(serial);
                    writes.push(write);
                }
            }
        }
        let Some(&last) = serials.last() else { continue };
        if file.write(&writes).is_ok() {
            // Whoever painted may be gone by now.
            let _ = back.send(Command::Kept(last));
            continue;
        }
        // One by one: what came before the one that cannot be written is kept still.
        for (serial, write) in serials.into_iter().zip(&writes) {
            match file.write(std::slice::from_ref(write)) {
                Ok(()) => {
                    let _ = back.send(Command::Kept(serial));
                }
                Err(error) if is_spare(write) => tracing::warn!("not written: {error}"),
                Err(error) => {
                    let _ = back.send(Command::NotKept(serial, error));
                    is_refusing = true;
                    break;
                }
            }
        }
    }
}
