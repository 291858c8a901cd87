//! What a number becomes by itself.

/// Spreads the numbers between two over 0–1, bends them, and brings them between two others.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Levels {
    /// What becomes the least.
    pub from: f32,
    /// What becomes the greatest.
    pub to: f32,
    /// 1 bends nothing; more lightens what is in the middle.
    pub gamma: f32,
    /// The least it becomes.
    pub least: f32,
    /// The greatest.
    pub greatest: f32,
}

impl Levels {
    /// What a number becomes.
    #[must_use]
    pub fn of(self, x: f32) -> f32 {
        let spread = ((x - self.from) / (self.to - self.from)).clamp(0.0, 1.0);
        self.least + (self.greatest - self.least) * spread.powf(1.0 / self.gamma)
    }
}

/// The nearest of so many even steps from 0 to 1, two or more.
#[must_use]
pub fn posterised(x: f32, steps: u32) -> f32 {
    let last = (steps - 1) as f32;
    (x * last).round() / last
}
