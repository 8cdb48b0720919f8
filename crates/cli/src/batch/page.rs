//! The table of a batch as a page of its own: it needs nothing but the deliveries beside it.

use super::{FindingCounts, Ledger, Row, Status, status_words, truth_words};
use std::fmt::Write;

const STYLE: &str = "body{font:14px/1.5 system-ui,sans-serif;margin:2rem;background:#2e2f30;color:#e8e6e3}\
table{border-collapse:collapse;width:100%}th,td{text-align:left;padding:.4rem .8rem;border-bottom:1px solid #47484a;vertical-align:top}\
th{color:#b3b1ad;font-weight:500}td.n{text-align:right;font-variant-numeric:tabular-nums}\
.failed{color:#ff9d8a}.wanting{color:#f0c572}.done{color:#9bd1a4}\
img{width:100%;max-width:1512px;display:block;margin:.5rem 0 2.5rem;background:#343434}h2{margin:2rem 0 .2rem;font-size:1.1rem}\
a{color:#9cc4e4}li{margin:.1rem 0}";

pub fn page(ledger: &Ledger) -> String {
    let mut rows = String::new();
    let mut sheets = String::new();
    for row in &ledger.assets {
        row_of(&mut rows, row);
        if let Some(contact) = &row.contact {
            let (name, address) = (escaped(&row.asset), escaped(&encoded(contact)));
            let _ = write!(
                sheets,
                "<h2 id=\"{name}\">{name}</h2><img src=\"{address}\" alt=\"Contact sheet of {name}\" loading=\"lazy\">"
            );
        }
    }
    let left: String = ledger.left_out.iter().map(|left| format!("<li>{}</li>", escaped(left))).collect();
    let left = if left.is_empty() { left } else { format!("<h2>Left out</h2><ul>{left}</ul>") };
    format!(
        "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><title>Batch</title><style>{STYLE}</style>\
        <h1>Batch of {} assets</h1><p>{} done, {} unchanged among them; {} wanting, {} failed; {:.1} s</p>\
        <table><tr><th>Asset<th>Status<th>Seconds<th>Maps<th>Faults<th>Warnings<th>Notes<th>Truths<th>What went wrong</tr>{rows}</table>{left}{sheets}</html>\n",
        ledger.assets.len(),
        ledger.done,
        ledger.unchanged,
        ledger.wanting,
        ledger.failed,
        ledger.seconds,
    )
}

fn row_of(rows: &mut String, row: &Row) {
    let class = match row.status {
        Status::Done => "done",
        Status::Wanting => "wanting",
        Status::Failed => "failed",
    };
    let name = escaped(&row.asset);
    let shown = if row.contact.is_some() { format!("<a href=\"#{name}\">{name}</a>") } else { name };
    let faults: String = row.faults.iter().map(|fault| format!("<li>{}</li>", escaped(fault))).collect();
    let FindingCounts { faults: wrong, warnings, notes } = row.findings;
    let _ = write!(
        rows,
        "<tr><td>{shown}<td class=\"{class}\">{}<td class=\"n\">{:.1}<td class=\"n\">{}<td class=\"n\">{wrong}<td class=\"n\">{warnings}\
        <td class=\"n\">{notes}<td>{}<td><ul>{faults}</ul></tr>",
        status_words(row),
        row.seconds,
        row.maps.len(),
        escaped(&truth_words(&row.truths)),
    );
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

/// A path as part of an address.
fn encoded(path: &str) -> String {
    let plain = |byte: &u8| byte.is_ascii_alphanumeric() || b"-_./".contains(byte);
    path.bytes().map(|byte| if plain(&byte) { char::from(byte).to_string() } else { format!("%{byte:02X}") }).collect()
}
