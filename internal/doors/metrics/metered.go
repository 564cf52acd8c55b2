package metrics

import (
	"github.com/prometheus/client_golang/prometheus"

	"yalvo/internal/engine/metering"
)

// metered is what a service has read and written, by screen, read, action and duplicate.
type metered struct{ meter *metering.Meter }

var meteredDesc = described("metered_total", "What was really read and written: how often (times, unchanged), and how "+
	"many of what.", "kind", "name", "what")

// Describe is part of [prometheus.Collector].
func (m metered) Describe(all chan<- *prometheus.Desc) { all <- meteredDesc }

// Collect is part of [prometheus.Collector].
func (m metered) Collect(all chan<- prometheus.Metric) {
	for of, c := range m.meter.Total() {
		for what, many := range map[string]int64{"times": c.Times, "unchanged": c.Unchanged, "documents": c.Documents,
			"pairs": c.Pairs, "entries": c.Entries, "kept": c.Kept, "sent": c.Sent, "bytes": c.Bytes} {
			if many != 0 {
				all <- prometheus.MustNewConstMetric(meteredDesc, prometheus.CounterValue, float64(many),
					string(of.Kind),
					of.Name, what)
			}
		}
	}
}
