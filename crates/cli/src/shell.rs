//! What shells, editors and other programs need of this one: completions, manual pages, schemas; and an end when they are gone.

use crate::Unusable;
use crate::arguments::{Arguments, Completions, Man, Schema, SchemaOf};
use crate::files::ready_folder;
use crate::say::answer;
use anyhow::Context;
use clap::CommandFactory;
use ember_ridge_core::Recipe;
use ember_ridge_core::deliver::Profile;
use schemars::JsonSchema;
use schemars::generate::SchemaSettings;
use std::io::Read;
use std::process::{ExitCode, Output};

/// `ember-ridge schema`.
pub fn schema(arguments: &Schema) -> Result<ExitCode, Unusable> {
    let schema = match arguments.of {
        SchemaOf::Recipe => schema_of::<Recipe>(),
        SchemaOf::Profile => schema_of::<Profile>(),
    };
    answer!("{}", serde_json::to_string_pretty(&schema)?);
    Ok(ExitCode::SUCCESS)
}

/// What a file may hold: fields that have a default may be left out.
fn schema_of<T: JsonSchema>() -> schemars::Schema {
    SchemaSettings::draft2020_12().for_deserialize().into_generator().into_root_schema_for::<T>()
}

/// `ember-ridge completions`.
pub fn completions(arguments: &Completions) -> Result<ExitCode, Unusable> {
    let mut text = Vec::new();
    clap_complete::generate(arguments.shell, &mut Arguments::command(), "ember-ridge", &mut text);
    answer!("{}", String::from_utf8(text)?.trim_end());
    Ok(ExitCode::SUCCESS)
}

/// `ember-ridge man`.
pub fn man(arguments: &Man) -> Result<ExitCode, Unusable> {
    ready_folder(&arguments.out)?;
    clap_mangen::generate_to(Arguments::command(), &arguments.out)
        .with_context(|| format!("{}: the pages cannot be written", arguments.out.display()))?;
    Ok(ExitCode::SUCCESS)
}

/// Set for processes that shall not outlive the one that started them.
pub const WITH_INPUT: &str = "EMBER_RIDGE_WITH_INPUT";

/// Ends the program when its standard input closes, which it does when the process that holds the other end is gone.
pub fn end_with_input() {
    std::thread::spawn(|| {
        let mut nothing = [0; 64];
        while std::io::stdin().lock().read(&mut nothing).is_ok_and(|read| read > 0) {}
        std::process::exit(130);
    });
}

/// Why a process of this program that did some command ended: the last error that it said.
pub fn error_of(command: &str, ended: &Output) -> String {
    let said = String::from_utf8_lossy(&ended.stderr);
    let last = said.lines().rev().find_map(|line| line.strip_prefix("error: "));
    last.map_or_else(|| format!("{command} ended unexpectedly ({})", ended.status), str::to_owned)
}
