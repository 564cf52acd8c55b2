// Package forecast works out what a design costs under a workload, before anything is built: documents, pairs and bytes
// that each screen reads, that each thing that is done writes, directly and by upkeep, what is stored, and what all
// of it comes to in a day, at the busiest hour, at other sizes of the app, in money and in processors.
//
// In goes a [plan.Plan], the same that upkeep works by, and a [design.Workload]; out comes a [Forecast]. It is
// arithmetic with means, and with the typical, the 99th percentile and the largest account where one account can
// cause much; nothing is drawn by chance. Not done here: reading the workload (package language), and how it looks
// (the commands).
package forecast
