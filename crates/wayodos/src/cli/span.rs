//! A span of a number, as it is typed.

use std::str::FromStr;

use wayodos_core::units::Quantity;

/// `20 %..60 %`
#[derive(Clone, Copy, Debug)]
pub(super) struct Span(pub(super) [Quantity; 2]);

impl FromStr for Span {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let wrong = || format!("`{text}` is no span: write two amounts, such as `20 %..60 %`");
        let (low, high) = text.split_once("..").ok_or_else(wrong)?;
        let amount = |text: &str| Quantity::parse(text.trim()).map_err(|_| wrong());
        Ok(Self([amount(low)?, amount(high)?]))
    }
}
