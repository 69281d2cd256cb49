use super::*;

#[test]
fn rules_read_in_any_order_and_write_in_one() {
    for (text, written) in [
        ("FREQ=DAILY", "FREQ=DAILY"),
        ("byday=we,+1mo,-1FR;FREQ=monthly;interval=2", "FREQ=MONTHLY;INTERVAL=2;BYDAY=WE,-1FR,1MO"),
        ("FREQ=WEEKLY;UNTIL=20261231T080000Z;WKST=SU", "FREQ=WEEKLY;UNTIL=20261231T080000Z;WKST=SU"),
        ("FREQ=YEARLY;BYWEEKNO=20,1;BYDAY=MO;", "FREQ=YEARLY;BYDAY=MO;BYWEEKNO=1,20"),
    ] {
        let rule = Rule::parse(text).unwrap();
        assert_eq!(rule.to_string(), written);
        assert_eq!(Rule::parse(written).unwrap(), rule);
    }
}

#[test]
fn what_is_no_rule_says_which_part() {
    for (text, message) in [
        ("", "the rule `` has no FREQ that says how often"),
        ("FREQ=SOMETIMES", "the rule `FREQ=SOMETIMES` has no FREQ that says how often"),
        ("FREQ=DAILY;INTERVAL=0", "INTERVAL=0 is out of range or no value for INTERVAL"),
        ("FREQ=MONTHLY;BYMONTHDAY=0", "BYMONTHDAY=0 is out of range or no value for BYMONTHDAY"),
        ("FREQ=WEEKLY;BYDAY=2MO", "BYDAY with a number has no meaning with WEEKLY"),
        ("FREQ=MONTHLY;BYWEEKNO=2", "BYWEEKNO has no meaning with MONTHLY"),
        ("FREQ=MONTHLY;BYSETPOS=1", "BYSETPOS alone has no meaning with MONTHLY"),
        ("FREQ=YEARLY;RSCALE=HEBREW", "RSCALE is not a part of a rule that can be expanded"),
        ("FREQ=DAILY;COUNT=2;COUNT=3", "COUNT stands there twice"),
        ("FREQ=DAILY;UNTIL=soon", "UNTIL: `soon` is neither a date (20260131) nor a time (20260131T093000)"),
        ("FREQ=WEEKLY;BYDAY=Ö", "BYDAY=Ö is out of range or no value for BYDAY"),
    ] {
        assert_eq!(Rule::parse(text).unwrap_err().to_string(), message, "{text}");
    }
}
