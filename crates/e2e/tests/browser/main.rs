//! The real app in a headless browser, worked by its controls.

mod baking;
mod blends;
mod board;
mod by_hand;
mod deliver;
mod hand_work;
mod images;
mod laid_over;
mod late;
mod layers;
mod painting;
mod parts;
mod proof;
mod recipe_sheet;
mod reshaped;
mod screenshots;
mod sets;
mod shapes;
mod shelf;
mod source_sheets;
mod tables;
mod transfer;
mod trouble;
mod volumes;
mod windows;
