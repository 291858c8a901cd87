//! What the core is held to: handbook formulas, reference data, properties of random work.

mod bake;
mod bunny;
mod colors;
mod common;
mod compare;
mod crowds;
mod forms;
mod hand;
mod history;
mod image_places;
mod maps;
mod needs;
mod odd_numbers;
mod painting;
mod picture;
mod recipe_files;
mod recipe_steps;
mod recipes;
mod regions;
mod replacing;
mod reshaped_together;
mod reshaping;
mod scene;
mod separation;
mod sets;
mod shapes;
