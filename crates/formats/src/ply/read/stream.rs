//! Numbers one after the other, of text or of bytes.

use crate::ply::header::Scalar;
use crate::{FormatError, Place};

/// Where the numbers come from: text, or bytes of either order.
pub(super) trait Stream {
    fn scalar(&mut self, kind: Scalar) -> Result<f64, FormatError>;
    fn integer(&mut self, kind: Scalar) -> Result<i64, FormatError>;
    /// The least room a value of the kind takes.
    fn least_size(kind: Scalar) -> usize;
    fn remaining(&self) -> usize;
    fn place(&self) -> Place;

    fn list_length(&mut self, kind: Scalar, item: Scalar) -> Result<usize, FormatError> {
        let length = self.integer(kind)?;
        match usize::try_from(length) {
            // The last item of a text needs no blank behind it.
            Ok(n) if n * Self::least_size(item) <= self.remaining() + 1 => Ok(n),
            Ok(_) => Err(self.cut_short(format!("a list of {length} items is promised here"))),
            Err(_) => Err(FormatError::new(
                self.place(),
                format!("a list cannot have {length} items"),
                "the file is damaged: export it again",
            )),
        }
    }

    fn cut_short(&self, promised: impl Into<String>) -> FormatError {
        FormatError::new(
            self.place(),
            format!("{}, but the file ends first", promised.into()),
            "it was cut short: copy or export it again",
        )
    }
}

pub(super) struct Text<'a> {
    pub(super) bytes: &'a [u8],
    pub(super) at: usize,
}

impl Text<'_> {
    pub(super) fn next_token(&mut self) -> Result<&[u8], FormatError> {
        let blank = |b: &u8| b.is_ascii_whitespace();
        let rest = &self.bytes[self.at..];
        let Some(start) = rest.iter().position(|b| !blank(b)) else {
            self.at = self.bytes.len();
            return Err(self.cut_short("a number is promised here"));
        };
        self.at += start;
        let rest = &rest[start..];
        Ok(&rest[..rest.iter().position(blank).unwrap_or(rest.len())])
    }

    pub(super) fn no_number(&self, token: &[u8]) -> FormatError {
        let shown = String::from_utf8_lossy(&token[..token.len().min(24)]);
        FormatError::new(
            self.place(),
            format!("{shown:?} is no number"),
            "correct the line, or export the file again",
        )
    }
}

impl Stream for Text<'_> {
    fn scalar(&mut self, _: Scalar) -> Result<f64, FormatError> {
        let token = self.next_token()?;
        let length = token.len();
        match fast_float2::parse::<f64, _>(token) {
            Ok(value) => {
                self.at += length;
                Ok(value)
            }
            Err(_) => {
                let token = token.to_vec();
                Err(self.no_number(&token))
            }
        }
    }

    fn integer(&mut self, kind: Scalar) -> Result<i64, FormatError> {
        let token = self.next_token()?;
        let digits = token.len() <= 10 && token.iter().all(u8::is_ascii_digit);
        if digits {
            let value = token.iter().fold(0, |sum, digit| sum * 10 + i64::from(digit - b'0'));
            self.at += token.len();
            return Ok(value);
        }
        let before = self.at;
        let value = self.scalar(kind)?;
        if value.fract() == 0.0 && value.abs() < 9e15 {
            Ok(value as i64)
        } else {
            self.at = before;
            Err(FormatError::new(
                self.place(),
                format!("{value} stands where a whole number is needed"),
                "correct the line, or export the file again",
            ))
        }
    }

    fn least_size(_: Scalar) -> usize {
        2
    }

    fn remaining(&self) -> usize {
        self.bytes.len() - self.at
    }

    fn place(&self) -> Place {
        Place::Line(1 + self.bytes[..self.at].iter().filter(|&&b| b == b'\n').count())
    }
}

pub(super) struct Binary<'a, const LITTLE: bool> {
    pub(super) bytes: &'a [u8],
    pub(super) at: usize,
}

impl<const LITTLE: bool> Binary<'_, LITTLE> {
    #[inline]
    pub(super) fn take<const N: usize>(&mut self) -> Result<[u8; N], FormatError> {
        let Some(bytes) = self.bytes.get(self.at..self.at + N) else {
            return Err(self.cut_short(format!("{N} more bytes are promised here")));
        };
        self.at += N;
        let mut taken: [u8; N] = bytes.try_into().expect("the slice has N bytes");
        if !LITTLE {
            taken.reverse();
        }
        Ok(taken)
    }
}

impl<const LITTLE: bool> Stream for Binary<'_, LITTLE> {
    #[inline]
    fn scalar(&mut self, kind: Scalar) -> Result<f64, FormatError> {
        Ok(match kind {
            Scalar::F32 => f64::from(f32::from_le_bytes(self.take()?)),
            Scalar::F64 => f64::from_le_bytes(self.take()?),
            whole => self.integer(whole)? as f64,
        })
    }

    #[inline]
    fn integer(&mut self, kind: Scalar) -> Result<i64, FormatError> {
        Ok(match kind {
            Scalar::I8 => i64::from(i8::from_le_bytes(self.take()?)),
            Scalar::U8 => i64::from(u8::from_le_bytes(self.take()?)),
            Scalar::I16 => i64::from(i16::from_le_bytes(self.take()?)),
            Scalar::U16 => i64::from(u16::from_le_bytes(self.take()?)),
            Scalar::I32 => i64::from(i32::from_le_bytes(self.take()?)),
            Scalar::U32 => i64::from(u32::from_le_bytes(self.take()?)),
            Scalar::F32 | Scalar::F64 => {
                let place = self.place();
                let value = self.scalar(kind)?;
                if value.fract() != 0.0 || value.abs() > 9e15 {
                    return Err(FormatError::new(
                        place,
                        format!("{value} stands where a whole number is needed"),
                        "the file is damaged: export it again",
                    ));
                }
                value as i64
            }
        })
    }

    fn least_size(kind: Scalar) -> usize {
        kind.size()
    }

    fn remaining(&self) -> usize {
        self.bytes.len() - self.at
    }

    fn place(&self) -> Place {
        Place::Byte(self.at)
    }
}
