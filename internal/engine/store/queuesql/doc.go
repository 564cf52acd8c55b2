// Package queuesql is the SQL of due work: what is noted as due, claimed by workers, postponed, parked, and
// waited for; what was sent or is to be; and the sweeping of what nothing in the design stores any more. How
// work is done is not told here.
package queuesql
