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
mod odd_numbers;
mod painting;
mod picture;
mod recipe_files;
mod recipes;
mod regions;
mod replacing;
mod reshaping;
mod scene;
mod separation;
mod sets;
mod shapes;
