//! A hash that is the same on every machine and in every version.

use std::fmt;

/// FNV-1a, 64 bits, of what is written to it. Source: RFC draft "The FNV Non-Cryptographic Hash
/// Algorithm" (Fowler, Noll, Vo). It keeps names and texts apart; it is no defence against anybody.
#[derive(Clone, Copy, Debug)]
pub struct Fnv(u64);

impl Default for Fnv {
    fn default() -> Self {
        Self(0xcbf2_9ce4_8422_2325)
    }
}

impl Fnv {
    /// Of some bytes.
    pub fn of(bytes: &[u8]) -> u64 {
        let mut hash = Self::default();
        hash.take(bytes);
        hash.value()
    }

    /// Takes further bytes in.
    pub fn take(&mut self, bytes: &[u8]) {
        self.0 = bytes.iter().fold(self.0, |hash, byte| {
            (hash ^ u64::from(*byte)).wrapping_mul(0x0100_0000_01b3)
        });
    }

    /// Of all that was taken in.
    pub const fn value(self) -> u64 {
        self.0
    }
}

impl fmt::Write for Fnv {
    fn write_str(&mut self, text: &str) -> fmt::Result {
        self.take(text.as_bytes());
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_is_the_published_hash() {
        // From the draft's own table of test vectors.
        for (text, hash) in [
            ("", 0xcbf2_9ce4_8422_2325),
            ("a", 0xaf63_dc4c_8601_ec8c),
            ("foobar", 0x8594_4171_f739_67e8),
        ] {
            assert_eq!(Fnv::of(text.as_bytes()), hash, "{text}");
        }
    }
}
