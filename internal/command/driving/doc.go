// Package driving does to a running app what a workload says is done: screens are opened and facts written by accounts
// chosen by chance, in the mix that it states.
//
// In go a design with its workload, and a client of the service; out comes what was done, and what was refused. Who
// does something is any account with the same chance; of what a workload calls busy, whoever is followed by many does
// more. What chance chooses is the same for the same seed and the same facts. Not done here: counting what that
// costs, which the service does.
package driving
