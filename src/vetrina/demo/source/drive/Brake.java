// The drive of the ropeway: made up, to be surveyed and never run.
package ropeway.drive;

final class Brake {
    private static final Logger LOG = Loggers.named("ropeway.drive.brake");
    private static final Logger MOTOR = Loggers.named("ropeway.drive.motor");
    private final Logger drive = Loggers.named("ropeway.drive");

    void turn(double speed, int torque, int oil) {
        drive.info("rope at {speed} m/s", speed);
        MOTOR.debug("torque {torque}, oil at {oil} degrees", torque, oil);
        if (oil > 90) {
            MOTOR.warn("oil at " + oil + " degrees, limit 90");
        }
    }

    void close(int shoe) {
        LOG.trace("closing shoe {}", shoe);
        try {
            Hydraulics.press(shoe);
        } catch (PressureLow fault) {
            LOG.error("shoe {shoe} did not close within {ms} ms", shoe, 400, fault);
            LOG.log(Level.FATAL, "emergency stop");
        }
    }
}
