//! What a bake tells on standard error: a bar on a terminal, a line every so often elsewhere.

use crate::say::aside;
use ember_ridge_core::bake::{Canvas, SoFar, Watch};
use indicatif::{ProgressBar, ProgressStyle};
use std::io::IsTerminal;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::time::Instant;

pub struct Progress {
    started: Instant,
    bar: Option<ProgressBar>,
    tenths: AtomicUsize,
    /// Set once somebody asks to stop.
    stop: Arc<AtomicBool>,
}

impl Progress {
    pub fn new() -> Progress {
        let bar = std::io::stderr().is_terminal().then(|| {
            let style =
                ProgressStyle::with_template("{msg:>14} {bar:40} {percent:>3} %  {elapsed} elapsed, {eta} left");
            let bar = ProgressBar::new(0).with_style(style.unwrap_or_else(|_| ProgressStyle::default_bar()));
            bar.set_message("baking");
            bar
        });
        Progress { started: Instant::now(), bar, tenths: AtomicUsize::new(0), stop: Arc::default() }
    }

    /// One that tells nothing.
    pub fn quiet() -> Progress {
        Progress { bar: Some(ProgressBar::hidden()), ..Progress::new() }
    }

    /// The same for work that ends once the program is asked to: by its terminal, or by whoever looks after it.
    ///
    /// # Errors
    /// The wish cannot be listened for.
    pub fn that_stops() -> std::io::Result<Progress> {
        let progress = Progress::new();
        for signal in [signal_hook::consts::SIGTERM, signal_hook::consts::SIGINT] {
            signal_hook::flag::register(signal, progress.stop.clone())?;
        }
        Ok(progress)
    }

    /// A step that has no measure of its own, such as reading a file.
    pub fn say(&self, what: &str) {
        match &self.bar {
            Some(bar) => bar.println(what),
            None => aside!("{:7.2} s  {what}", self.now()),
        }
    }

    pub fn finish(&self) {
        if let Some(bar) = &self.bar {
            bar.finish_and_clear();
        }
    }
}

impl Watch for Progress {
    fn now(&self) -> f64 {
        self.started.elapsed().as_secs_f64()
    }

    fn thread_seconds(&self) -> f64 {
        ember_ridge_formats::job::thread_seconds()
    }

    fn stopped(&self) -> bool {
        self.stop.load(Ordering::Relaxed)
    }

    fn looks(&self) -> bool {
        false
    }

    fn tile_done(&self, &SoFar { done, all, .. }: &SoFar, _canvas: &Canvas) {
        match &self.bar {
            Some(bar) => {
                bar.set_length(all as u64);
                bar.set_position(done as u64);
            }
            None => {
                let tenth = done * 10 / all.max(1);
                if self.tenths.fetch_max(tenth, Ordering::Relaxed) < tenth {
                    self.say(&format!("baking, {} %", tenth * 10));
                }
            }
        }
    }
}
