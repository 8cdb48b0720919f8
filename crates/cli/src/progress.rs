//! What a bake tells on standard error: a bar on a terminal, a line every so often elsewhere.

use crate::say::aside;
use ember_ridge_core::bake::{Canvas, SoFar, Watch};
use indicatif::{ProgressBar, ProgressStyle};
use std::io::IsTerminal;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Instant;

pub struct Progress {
    started: Instant,
    bar: Option<ProgressBar>,
    tenths: AtomicUsize,
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
        Progress { started: Instant::now(), bar, tenths: AtomicUsize::new(0) }
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

    fn stopped(&self) -> bool {
        false
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
