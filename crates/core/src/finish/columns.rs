//! What is known of places, column by column.

use super::graph::Input;
use glam::Vec3;
use rustc_hash::FxHashMap;

/// What is known of the places, column by column.
#[derive(Default)]
pub struct Columns {
    columns: FxHashMap<Input, Vec<Vec<f32>>>,
}

impl Columns {
    /// Brings a number per place.
    pub fn put_number(&mut self, input: Input, values: Vec<f32>) {
        self.columns.insert(input, vec![values]);
    }

    /// Brings a vector per place.
    pub fn put_vector(&mut self, input: Input, values: impl IntoIterator<Item = Vec3>) {
        let mut columns = vec![Vec::new(), Vec::new(), Vec::new()];
        for value in values {
            columns.iter_mut().zip(value.to_array()).for_each(|(column, c)| column.push(c));
        }
        self.columns.insert(input, columns);
    }

    pub(super) fn of(&self, input: Input) -> &[Vec<f32>] {
        self.columns.get(&input).map_or(&[], Vec::as_slice)
    }
}
