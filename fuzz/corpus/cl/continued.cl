PARRTple$

$

$ ÂUUTple$
$ ÂUUTple$

$ Â,UUei