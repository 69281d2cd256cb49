//! Rules that are put in other words and mean the same.

/// A rule with its parts in one order, without what every rule means unless it says
/// otherwise (RFC 5545 section 3.3.10): `INTERVAL=1`, and weeks that start on Monday.
///
/// `FREQ=weekly;byday=TH,MO;INTERVAL=1` and `BYDAY=MO,TH;FREQ=WEEKLY;WKST=MO` are both
/// `BYDAY=MO,TH;FREQ=WEEKLY`.
pub fn evened_rule(text: &str) -> String {
    let upper = text.trim().to_ascii_uppercase();
    let is_said = |part: &&str| !part.is_empty() && !matches!(*part, "INTERVAL=1" | "WKST=MO" | "SKIP=OMIT");
    // Our calendar alone, without other days for those that a month lacks, is what a
    // rule counts in anyway (RFC 7529).
    let has_skip =
        upper.split(';').map(str::trim).any(|part| part.starts_with("SKIP=") && part != "SKIP=OMIT");
    let is_said = |part: &&str| is_said(part) && (has_skip || *part != "RSCALE=GREGORIAN");
    let parts = upper.split(';').map(str::trim).filter(is_said);
    let mut parts: Vec<String> = parts.map(in_order).collect();
    parts.sort_unstable();
    parts.join(";")
}

/// A part with its values in one order; their order says nothing.
fn in_order(part: &str) -> String {
    let Some((name, values)) = part.split_once('=') else { return part.to_owned() };
    let mut values: Vec<&str> = values.split(',').map(|value| value.trim().trim_start_matches('+')).collect();
    values.sort_unstable();
    values.dedup();
    format!("{}={}", name.trim(), values.join(","))
}

#[cfg(test)]
mod tests {
    use super::evened_rule;

    #[test]
    fn what_means_the_same_reads_the_same() {
        for (one, two) in [
            ("FREQ=WEEKLY;BYDAY=TH,MO;INTERVAL=1", "WKST=MO;byday=MO,TH;freq=weekly"),
            ("FREQ=MONTHLY;BYDAY=+1MO", "BYDAY=1MO;FREQ=MONTHLY;"),
            ("FREQ=MONTHLY", "RSCALE=GREGORIAN;FREQ=MONTHLY;SKIP=OMIT"),
        ] {
            assert_eq!(evened_rule(one), evened_rule(two));
        }
        for (one, two) in [
            ("FREQ=WEEKLY", "FREQ=WEEKLY;INTERVAL=2"),
            ("FREQ=WEEKLY;INTERVAL=2", "FREQ=WEEKLY;INTERVAL=2;WKST=SU"),
            ("FREQ=MONTHLY;BYDAY=1MO", "FREQ=MONTHLY;BYDAY=-1MO"),
            ("FREQ=MONTHLY", "RSCALE=GREGORIAN;FREQ=MONTHLY;SKIP=FORWARD"),
        ] {
            assert_ne!(evened_rule(one), evened_rule(two));
        }
    }
}
