//! `ember-ridge`: bakes from the command line, checks meshes, writes samples, and serves the application.
//! Exit codes: 0 all maps written, 1 some failed (the others are written), 2 unusable input, 75 (`work`) asked to stop: run it again.

mod arguments;
mod bake;
mod baked;
mod batch;
mod check;
mod compare;
mod deliver;
mod delivered;
mod document;
mod files;
mod finish;
mod import;
mod many;
mod options;
mod out;
mod progress;
mod reduce;
mod region;
mod sample;
mod say;
mod scene;
mod serve;
mod shell;
mod unwrap;
mod verify;
mod words;

use arguments::{Arguments, Command};
use clap::Parser;
use say::aside;
use std::process::ExitCode;

/// Gives memory back to the machine once it is free; the system's own keeps much of what many threads freed.
#[global_allocator]
static MEMORY: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// Why a command gave up before its work was done; shown as it stands, exit code 2.
type Unusable = anyhow::Error;

fn main() -> ExitCode {
    let arguments = Arguments::parse();
    if std::env::var_os(shell::WITH_INPUT).is_some() {
        shell::end_with_input();
    }
    let done = match arguments.command {
        Command::Serve(serve) => serve::run(&serve),
        Command::Bake(bake) => bake::run(&bake),
        Command::Check(check) => check::run(&check),
        Command::Reduce(reduce) => reduce::run(&reduce),
        Command::Unwrap(unwrap) => unwrap::run(&unwrap),
        Command::Sample(sample) => sample::run(&sample),
        Command::Finish(finish) => finish::run(&finish),
        Command::Import(import) => import::run(&import),
        Command::Compare(compare) => compare::run(&compare),
        Command::Verify(verify) => verify::run(&verify),
        Command::Deliver(deliver) => deliver::run(&deliver),
        Command::Profile(profile) => deliver::profile(&profile),
        Command::Batch(batch) => batch::run(&batch),
        Command::BatchTask(task) => batch::task(&task),
        Command::Split(split) => many::split(&split),
        Command::Work(work) => many::work(&work),
        Command::Join(join) => many::join(&join),
        Command::Submit(submit) => many::submit(&submit),
        Command::Status(status) => many::status(&status),
        Command::Schema(schema) => shell::schema(&schema),
        Command::Completions(completions) => shell::completions(&completions),
        Command::Man(man) => shell::man(&man),
    };
    done.unwrap_or_else(|error: Unusable| {
        aside!("error: {error:#}");
        ExitCode::from(2)
    })
}
